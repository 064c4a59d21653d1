CREATE TABLE "data_version_rows" (
	"table_id" text NOT NULL,
	"number" integer NOT NULL,
	"row" integer NOT NULL,
	"values" jsonb,
	"spent_by" text,
	CONSTRAINT "data_version_rows_table_id_number_row_pk" PRIMARY KEY("table_id","number","row")
);
--> statement-breakpoint
CREATE TABLE "data_versions" (
	"table_id" text NOT NULL,
	"number" integer NOT NULL,
	"from_version" integer NOT NULL,
	"what" text NOT NULL,
	"by" text NOT NULL,
	"at" text NOT NULL,
	"rows" integer NOT NULL,
	"columns" jsonb NOT NULL,
	CONSTRAINT "data_versions_table_id_number_pk" PRIMARY KEY("table_id","number")
);
--> statement-breakpoint
ALTER TABLE "data_tables" ADD COLUMN "version" integer DEFAULT 0 NOT NULL;--> statement-breakpoint
UPDATE "data_tables" SET "columns" = (SELECT jsonb_agg(jsonb_build_object('name', name, 'kind', 'text', 'unique', false) ORDER BY n) FROM jsonb_array_elements_text("columns") WITH ORDINALITY AS named(name, n)) WHERE jsonb_typeof("columns" -> 0) = 'string';
