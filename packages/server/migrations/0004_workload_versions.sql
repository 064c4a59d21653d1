CREATE TABLE "workload_versions" (
	"workload_id" text NOT NULL,
	"number" integer NOT NULL,
	"at" text NOT NULL,
	"by" text NOT NULL,
	"what" text NOT NULL,
	"closed" boolean NOT NULL,
	"packed" "bytea" NOT NULL,
	CONSTRAINT "workload_versions_workload_id_number_pk" PRIMARY KEY("workload_id","number")
);
