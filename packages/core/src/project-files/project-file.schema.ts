import * as z from 'zod';
import { DataColumnSchema, DealSchema, onceInOrder } from '../data/data-table.schema.js';
import { ProjectNameSchema, ProjectSettingsSchema } from '../project/project.schema.js';
import { pathProblem } from './file-paths.js';

/** Ids are random enough to be told from any other text, so that a copy can have others. */
const id = z.string().regex(/^[\w-]{8,64}$/, 'An id has 8 to 64 letters, digits, hyphens and underscores.');
const file = z
  .string()
  .max(300)
  .refine((path) => pathProblem(path) === null, { error: ({ input }) => pathProblem(String(input)) ?? '' });
const listed = { id, file: file.describe('path of its file in the project') };
/** Environments are counted in their project, so their ids are short. */
const environmentId = z.string().regex(/^[\w-]{1,64}$/);

/** `project.yaml`: what holds for all of a project, and which file holds what. */
export const ProjectFileSchema = z.strictObject({
  project: z.literal(1).describe('version of the layout of the folder'),
  name: ProjectNameSchema,
  settings: z.strictObject(ProjectSettingsSchema.shape).prefault({}),
  environments: z.array(z.strictObject({ id: environmentId, file: listed.file })).default([]),
  takes: z
    .array(z.strictObject({ ...listed, madeFor: id.optional().describe('id of the script for which it was put together') }))
    .default([]),
  parts: z.array(z.strictObject(listed)).default([]),
  tables: z.array(z.strictObject({ ...listed, rows: file.describe('path of its rows, as CSV') })).default([]),
  scripts: z
    .array(
      z.strictObject({
        ...listed,
        take: z.string().describe('id of its take'),
        secondTake: z.string().nullable().default(null).describe('id of the second take of the same flow'),
      }),
    )
    .default([]),
  rehearsals: z.array(z.strictObject(listed)).default([]),
  workloads: z.array(z.strictObject(listed)).default([]),
  runs: z.array(z.strictObject({ id, folder: file })).default([]),
});
export type ProjectFile = z.infer<typeof ProjectFileSchema>;

/** What a table is, beside its rows. */
export const TableFileSchema = z.strictObject({
  name: z.string().min(1).max(200),
  columns: z.array(
    DataColumnSchema.extend({ kind: DataColumnSchema.shape.kind.default('text'), unique: DataColumnSchema.shape.unique.default(false) }),
  ),
  deal: DealSchema.default(onceInOrder),
  spent: z
    .array(z.strictObject({ by: z.string().describe('id of the run or rehearsal'), rows: z.string().describe('such as 1-40 57') }))
    .default([])
    .describe('rows that were dealt and may not be dealt again'),
});
export type TableFile = z.infer<typeof TableFileSchema>;
