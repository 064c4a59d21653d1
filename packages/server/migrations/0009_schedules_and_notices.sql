CREATE TABLE "notice_settings" (
	"project_id" text PRIMARY KEY NOT NULL,
	"doc" jsonb NOT NULL
);
--> statement-breakpoint
CREATE TABLE "notices" (
	"id" text PRIMARY KEY NOT NULL,
	"project_id" text NOT NULL,
	"state" text NOT NULL,
	"at" text NOT NULL,
	"doc" jsonb NOT NULL
);
--> statement-breakpoint
CREATE TABLE "scheduled_starts" (
	"id" text PRIMARY KEY NOT NULL,
	"project_id" text NOT NULL,
	"at" text NOT NULL,
	"doc" jsonb NOT NULL
);
--> statement-breakpoint
CREATE TABLE "schedules" (
	"id" text PRIMARY KEY NOT NULL,
	"project_id" text NOT NULL,
	"considered_until" text NOT NULL,
	"doc" jsonb NOT NULL
);
--> statement-breakpoint
CREATE INDEX "notices_of_project" ON "notices" USING btree ("project_id","at");--> statement-breakpoint
CREATE INDEX "starts_of_project" ON "scheduled_starts" USING btree ("project_id","at");