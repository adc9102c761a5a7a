CREATE TABLE "audit" (
	"row" bigserial PRIMARY KEY NOT NULL,
	"at" timestamp with time zone NOT NULL,
	"who" text NOT NULL,
	"address" text NOT NULL,
	"what" text NOT NULL,
	"about" text NOT NULL,
	"status" integer NOT NULL
);
--> statement-breakpoint
CREATE TABLE "keys" (
	"id" text PRIMARY KEY NOT NULL,
	"name" text NOT NULL,
	"scopes" text[] NOT NULL,
	"hash" "bytea" NOT NULL,
	"salt" "bytea" NOT NULL,
	"limits" jsonb NOT NULL,
	"made_at" timestamp with time zone NOT NULL,
	"expires_at" timestamp with time zone,
	"revoked_at" timestamp with time zone,
	"used_at" timestamp with time zone
);
--> statement-breakpoint
CREATE TABLE "passes" (
	"id" text PRIMARY KEY NOT NULL,
	"kind" text NOT NULL,
	"hash" "bytea" NOT NULL,
	"key" text,
	"until" timestamp with time zone NOT NULL,
	"assistant" text,
	"origins" text[] NOT NULL,
	"caller" jsonb,
	"talks" integer NOT NULL
);
--> statement-breakpoint
CREATE TABLE "talk_days" (
	"id" text PRIMARY KEY NOT NULL,
	"talks" integer NOT NULL
);
--> statement-breakpoint
ALTER TABLE "conversations" ADD COLUMN "admitted_by" text;--> statement-breakpoint
ALTER TABLE "conversations" ADD COLUMN "caller" jsonb;--> statement-breakpoint
ALTER TABLE "conversations" ADD COLUMN "caller_sure" boolean;--> statement-breakpoint
CREATE INDEX "audit_by_time" ON "audit" USING btree ("at");--> statement-breakpoint
CREATE UNIQUE INDEX "keys_by_name" ON "keys" USING btree ("name") WHERE revoked_at is null;--> statement-breakpoint
CREATE INDEX "passes_by_time" ON "passes" USING btree ("until");