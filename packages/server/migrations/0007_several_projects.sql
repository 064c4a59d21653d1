ALTER TABLE "environments" DROP CONSTRAINT "environments_pkey";--> statement-breakpoint
ALTER TABLE "environments" ADD CONSTRAINT "environments_project_id_id_pk" PRIMARY KEY("project_id","id");--> statement-breakpoint
ALTER TABLE "projects" ADD COLUMN "state" text DEFAULT 'active' NOT NULL;--> statement-breakpoint
ALTER TABLE "projects" ADD COLUMN "number" integer NOT NULL GENERATED ALWAYS AS IDENTITY (sequence name "projects_number_seq" INCREMENT BY 1 MINVALUE 1 MAXVALUE 2147483647 START WITH 1 CACHE 1);