CREATE TABLE "host_points" (
	"run_id" text NOT NULL,
	"watch" text NOT NULL,
	"second" integer NOT NULL,
	"doc" jsonb NOT NULL,
	CONSTRAINT "host_points_run_id_watch_second_pk" PRIMARY KEY("run_id","watch","second")
);
