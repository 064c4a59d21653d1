CREATE TABLE "handoff_patterns" (
	"project_id" text NOT NULL,
	"id" text NOT NULL,
	"doc" jsonb NOT NULL,
	CONSTRAINT "handoff_patterns_project_id_id_pk" PRIMARY KEY("project_id","id")
);
