CREATE TABLE "parts" (
	"id" text PRIMARY KEY NOT NULL,
	"project_id" text NOT NULL,
	"doc" jsonb NOT NULL
);
--> statement-breakpoint
CREATE TABLE "script_versions" (
	"script_id" text NOT NULL,
	"number" integer NOT NULL,
	"at" text NOT NULL,
	"by" text NOT NULL,
	"what" text NOT NULL,
	"closed" boolean NOT NULL,
	"packed" "bytea" NOT NULL,
	CONSTRAINT "script_versions_script_id_number_pk" PRIMARY KEY("script_id","number")
);
--> statement-breakpoint
ALTER TABLE "projects" ADD COLUMN "settings" jsonb;