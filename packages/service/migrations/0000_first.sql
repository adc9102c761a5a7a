CREATE TABLE "audio" (
	"row" bigserial PRIMARY KEY NOT NULL,
	"conversation" uuid NOT NULL,
	"side" text NOT NULL,
	"first_sample" bigint NOT NULL,
	"samples" "bytea" NOT NULL
);
--> statement-breakpoint
CREATE TABLE "conversations" (
	"id" uuid PRIMARY KEY NOT NULL,
	"service" text NOT NULL,
	"assistant" text,
	"line" text NOT NULL,
	"recorded" boolean NOT NULL,
	"started_at" timestamp with time zone NOT NULL,
	"ended_at" timestamp with time zone,
	"ending" text
);
--> statement-breakpoint
CREATE TABLE "gaps" (
	"row" bigserial PRIMARY KEY NOT NULL,
	"conversation" uuid NOT NULL,
	"what" text NOT NULL,
	"from_ms" double precision NOT NULL,
	"to_ms" double precision NOT NULL
);
--> statement-breakpoint
CREATE TABLE "journal" (
	"row" bigserial PRIMARY KEY NOT NULL,
	"conversation" uuid NOT NULL,
	"index" integer NOT NULL,
	"at_ms" double precision NOT NULL,
	"side" text NOT NULL,
	"kind" text NOT NULL,
	"body" jsonb NOT NULL
);
--> statement-breakpoint
CREATE TABLE "turns" (
	"row" bigserial PRIMARY KEY NOT NULL,
	"conversation" uuid NOT NULL,
	"report" jsonb NOT NULL
);
--> statement-breakpoint
CREATE INDEX "audio_by_conversation" ON "audio" USING btree ("conversation");--> statement-breakpoint
CREATE INDEX "conversations_by_start" ON "conversations" USING btree ("started_at");--> statement-breakpoint
CREATE INDEX "gaps_by_conversation" ON "gaps" USING btree ("conversation");--> statement-breakpoint
CREATE INDEX "journal_by_conversation" ON "journal" USING btree ("conversation","index");--> statement-breakpoint
CREATE INDEX "turns_by_conversation" ON "turns" USING btree ("conversation");