CREATE TABLE "history" (
	"number" integer PRIMARY KEY GENERATED ALWAYS AS IDENTITY (sequence name "history_number_seq" INCREMENT BY 1 MINVALUE 1 MAXVALUE 2147483647 START WITH 1 CACHE 1),
	"project_id" text NOT NULL,
	"doc" jsonb NOT NULL
);
--> statement-breakpoint
CREATE INDEX "history_of_project" ON "history" USING btree ("project_id","number");