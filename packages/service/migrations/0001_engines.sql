CREATE TABLE "corrections" (
	"row" bigserial PRIMARY KEY NOT NULL,
	"conversation" uuid NOT NULL,
	"turn" integer NOT NULL,
	"text" text NOT NULL
);
--> statement-breakpoint
CREATE TABLE "tryouts" (
	"id" uuid PRIMARY KEY NOT NULL,
	"at" timestamp with time zone NOT NULL,
	"role" text NOT NULL,
	"result" jsonb NOT NULL
);
--> statement-breakpoint
CREATE TABLE "uses" (
	"row" bigserial PRIMARY KEY NOT NULL,
	"conversation" uuid NOT NULL,
	"assistant" text NOT NULL,
	"turn" integer,
	"at" timestamp with time zone NOT NULL,
	"role" text NOT NULL,
	"engine" text NOT NULL,
	"audio_ms" double precision NOT NULL,
	"characters" integer NOT NULL,
	"tokens_in" integer NOT NULL,
	"tokens_out" integer NOT NULL,
	"requests" integer NOT NULL,
	"cost" double precision,
	"currency" text,
	"waste" text,
	"saved" double precision NOT NULL
);
--> statement-breakpoint
CREATE INDEX "corrections_by_conversation" ON "corrections" USING btree ("conversation");--> statement-breakpoint
CREATE INDEX "uses_by_conversation" ON "uses" USING btree ("conversation");--> statement-breakpoint
CREATE INDEX "uses_by_time" ON "uses" USING btree ("at");