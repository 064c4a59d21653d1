CREATE TABLE "briefs" (
	"project_id" text PRIMARY KEY NOT NULL,
	"doc" jsonb NOT NULL
);
--> statement-breakpoint
CREATE TABLE "reports" (
	"id" text PRIMARY KEY NOT NULL,
	"project_id" text NOT NULL,
	"doc" jsonb NOT NULL
);
--> statement-breakpoint
CREATE INDEX "reports_of_project" ON "reports" USING btree ("project_id");