CREATE TABLE "runs" (
	"id" text PRIMARY KEY NOT NULL,
	"conversation" uuid NOT NULL,
	"run" integer NOT NULL,
	"service" text NOT NULL,
	"errand" text NOT NULL,
	"assistant" text NOT NULL,
	"slots" jsonb NOT NULL,
	"state" text NOT NULL,
	"code" text,
	"given" jsonb,
	"begun_at" timestamp with time zone NOT NULL,
	"ended_at" timestamp with time zone
);
--> statement-breakpoint
CREATE INDEX "runs_by_time" ON "runs" USING btree ("begun_at");--> statement-breakpoint
CREATE INDEX "runs_by_conversation" ON "runs" USING btree ("conversation");