CREATE TABLE "briefs" (
	"project_id" text PRIMARY KEY NOT NULL,
	"doc" jsonb NOT NULL
);
