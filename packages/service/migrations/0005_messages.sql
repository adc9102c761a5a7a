CREATE TABLE "deliveries" (
	"id" uuid PRIMARY KEY NOT NULL,
	"message" text NOT NULL,
	"service" text NOT NULL,
	"contact" text NOT NULL,
	"name" text NOT NULL,
	"state" text NOT NULL,
	"way" text NOT NULL,
	"attempts" integer NOT NULL,
	"why" text NOT NULL,
	"changed_at" timestamp with time zone NOT NULL
);
--> statement-breakpoint
CREATE TABLE "messages" (
	"id" text PRIMARY KEY NOT NULL,
	"service" text NOT NULL,
	"conversation" uuid NOT NULL,
	"assistant" text NOT NULL,
	"errand" text NOT NULL,
	"sender" text NOT NULL,
	"recipients" text NOT NULL,
	"subject" text NOT NULL,
	"text" text NOT NULL,
	"state" text NOT NULL,
	"due_at" timestamp with time zone,
	"occasion" text,
	"written_at" timestamp with time zone NOT NULL,
	"told_at" timestamp with time zone
);
--> statement-breakpoint
CREATE INDEX "deliveries_by_message" ON "deliveries" USING btree ("message");--> statement-breakpoint
CREATE INDEX "messages_by_time" ON "messages" USING btree ("written_at");