CREATE TABLE "batches" (
	"id" uuid PRIMARY KEY NOT NULL,
	"at" timestamp with time zone DEFAULT now() NOT NULL
);
--> statement-breakpoint
DROP INDEX "audio_by_conversation";--> statement-breakpoint
ALTER TABLE "conversations" ADD COLUMN "stay" text;--> statement-breakpoint
CREATE INDEX "batches_by_time" ON "batches" USING btree ("at");--> statement-breakpoint
CREATE INDEX "audio_by_place" ON "audio" USING btree ("conversation","first_sample");