CREATE TABLE "bodies" (
	"hash" text PRIMARY KEY NOT NULL,
	"size" integer NOT NULL,
	"mime_type" text NOT NULL,
	"packed" "bytea" NOT NULL
);
--> statement-breakpoint
CREATE TABLE "data_rows" (
	"table_id" text NOT NULL,
	"row" integer NOT NULL,
	"values" jsonb NOT NULL,
	"spent_by" text,
	CONSTRAINT "data_rows_table_id_row_pk" PRIMARY KEY("table_id","row")
);
--> statement-breakpoint
CREATE TABLE "data_tables" (
	"id" text PRIMARY KEY NOT NULL,
	"project_id" text NOT NULL,
	"name" text NOT NULL,
	"columns" jsonb NOT NULL,
	"deal" jsonb NOT NULL
);
--> statement-breakpoint
CREATE TABLE "environments" (
	"id" text PRIMARY KEY NOT NULL,
	"project_id" text NOT NULL,
	"doc" jsonb NOT NULL
);
--> statement-breakpoint
CREATE TABLE "exchanges" (
	"take_id" text NOT NULL,
	"n" integer NOT NULL,
	"doc" jsonb NOT NULL,
	CONSTRAINT "exchanges_take_id_n_pk" PRIMARY KEY("take_id","n")
);
--> statement-breakpoint
CREATE TABLE "frames" (
	"run_id" text NOT NULL,
	"generator" integer NOT NULL,
	"second" integer NOT NULL,
	"doc" jsonb NOT NULL,
	CONSTRAINT "frames_run_id_second_generator_pk" PRIMARY KEY("run_id","second","generator")
);
--> statement-breakpoint
CREATE TABLE "projects" (
	"id" text PRIMARY KEY NOT NULL,
	"name" text NOT NULL
);
--> statement-breakpoint
CREATE TABLE "rehearsals" (
	"id" text PRIMARY KEY NOT NULL,
	"script_id" text NOT NULL,
	"number" integer NOT NULL,
	"doc" jsonb NOT NULL
);
--> statement-breakpoint
CREATE TABLE "runs" (
	"id" text PRIMARY KEY NOT NULL,
	"project_id" text NOT NULL,
	"number" integer NOT NULL,
	"doc" jsonb NOT NULL
);
--> statement-breakpoint
CREATE TABLE "scripts" (
	"id" text PRIMARY KEY NOT NULL,
	"project_id" text NOT NULL,
	"doc" jsonb NOT NULL
);
--> statement-breakpoint
CREATE TABLE "takes" (
	"id" text PRIMARY KEY NOT NULL,
	"project_id" text NOT NULL,
	"started_at" text NOT NULL,
	"doc" jsonb NOT NULL
);
--> statement-breakpoint
CREATE TABLE "workloads" (
	"id" text PRIMARY KEY NOT NULL,
	"project_id" text NOT NULL,
	"doc" jsonb NOT NULL
);
--> statement-breakpoint
CREATE INDEX "rehearsals_of_script" ON "rehearsals" USING btree ("script_id","number");