import * as z from 'zod';
import { DataTableSchema } from '../data/data-table.schema.js';
import { RunSchema } from '../analyse/run.schema.js';
import { HandoffPatternSchema } from '../patterns/pattern.schema.js';
import { ProjectSchema } from '../project/project.schema.js';
import { pathProblem } from '../project-files/file-paths.js';
import { SentAndGotSchema, SourcesSchema } from '../rehearse/sources.js';
import { TidySchema, TransactionStartSchema } from '../tidy/tidy.schema.js';
import { RecordingStateSchema } from '../take/recording.schema.js';
import { TakeSchema } from '../take/take.schema.js';

// What the operations of the server take and give where that is no document of its own; the server validates with these, and the web client has its types of them.

/** What is played or recorded now. */
export const LiveStateSchema = z.object({
  recording: RecordingStateSchema.nullable(),
  run: RunSchema.nullable(),
  /** Why the database does not answer, and since when; null where it does. */
  databaseAway: z.object({ since: z.string(), reason: z.string() }).nullable(),
});
export type LiveState = z.infer<typeof LiveStateSchema>;

/** A project that was read out of files, and what has to be given again. */
export const ImportedProjectSchema = z.object({
  project: ProjectSchema,
  /** Secrets that the files name, by the name of their environment. */
  missing: z.array(z.object({ environment: z.string(), secrets: z.array(z.object({ name: z.string(), what: z.string() })) })),
  /** Targets beyond this machine, which have to be cleared here again. */
  uncleared: z.array(z.string()),
});
export type ImportedProject = z.infer<typeof ImportedProjectSchema>;

/** A take, and how many exchanges it has. */
export const CountedTakeSchema = TakeSchema.extend({ exchangeCount: z.number() });
export type CountedTake = z.infer<typeof CountedTakeSchema>;

/** How a recording is begun. */
export const RecordingOptionsSchema = z.object({
  name: z.string().trim().min(1, 'Give the take a name.').max(120),
  /** True where the proxy listens for other machines, too. */
  forNetwork: z.boolean().default(false),
});
export type RecordingOptions = z.input<typeof RecordingOptionsSchema>;

/** How a script is made of a take: null leaves it to what the survey proposes. */
export const ScriptOptionsSchema = z.object({
  name: z.string().trim().min(1, 'Give the script a name.').max(120),
  tidy: TidySchema.nullable().default(null),
  /** Where transactions begin. */
  transactions: z.array(TransactionStartSchema).max(500).nullable().default(null),
});
export type ScriptOptions = z.input<typeof ScriptOptionsSchema>;

/** A take that was imported, and what in its file could not be read. */
export const ImportedTakeSchema = z.object({
  take: TakeSchema,
  exchangeCount: z.number(),
  problems: z.array(z.object({ entry: z.number(), text: z.string() })),
});
export type ImportedTake = z.infer<typeof ImportedTakeSchema>;

/** A handoff pattern, and where it comes from. */
export const ListedPatternSchema = HandoffPatternSchema.extend({ shipped: z.boolean(), changed: z.boolean() });
export type ListedPattern = z.infer<typeof ListedPatternSchema>;

/** What the code of a step did on one answer at hand. */
export const TriedCodeSchema = z.object({
  source: z.enum(['take', 'rehearsal']),
  rehearsal: z.number().int().nullable(),
  /** Status of the answer that it saw; null where there was none before it. */
  status: z.number().int().nullable(),
  variables: z.record(z.string(), z.string()),
  next: z.object({
    headers: z.record(z.string(), z.string().nullable()),
    query: z.record(z.string(), z.string()),
    body: z.string().nullable(),
  }),
  log: z.array(z.string()),
  error: z.string().nullable(),
  line: z.number().int().nullable(),
  tookMs: z.number(),
});
export type TriedCode = z.infer<typeof TriedCodeSchema>;

/** A column in which so many rows have a value that another row has too. */
export const DuplicatesSchema = z.object({ column: z.number(), rows: z.number(), example: z.string() });
export type Duplicates = z.infer<typeof DuplicatesSchema>;

/** A table that was imported, and what in its file could not be read. */
export const ImportedTableSchema = z.object({
  table: DataTableSchema,
  problems: z.array(z.object({ line: z.number(), text: z.string() })),
  problemCount: z.number(),
  /** Columns whose values are all but unique: in so many rows stands what stands in another too. */
  twice: z.array(DuplicatesSchema),
  read: z.string(),
});
export type ImportedTable = z.infer<typeof ImportedTableSchema>;

/** Kinds of stored documents that can turn out to be unreadable. */
export const documentKinds = [
  'environment',
  'take',
  'exchange',
  'pattern',
  'script',
  'part',
  'rehearsal',
  'workload',
  'run',
  'schedule',
  'start',
  'notice',
] as const;

/** A document that an older version or a fault left such that it cannot be read. */
export const DamagedSchema = z.object({
  kind: z.enum(documentKinds),
  /** Of an exchange the id of its take, a slash and its number. */
  id: z.string(),
  name: z.string(),
  /** What is wrong with it, in a sentence. */
  reason: z.string(),
});
export type Damaged = z.infer<typeof DamagedSchema>;

/** What could be sent at a place, with what the last rehearsal, and those in which candidates were tried, sent there and got. */
export const FoundSourcesSchema = SourcesSchema.extend({
  /** What the last rehearsal of the script as it is sent and got; null where there was none. */
  last: SentAndGotSchema.nullable(),
  trials: z.array(SentAndGotSchema.extend({ candidate: z.string() })),
});
export type FoundSources = z.infer<typeof FoundSourcesSchema>;

/** A sequence of steps that is kept once, and the scripts that have it. */
export const ListedPartSchema = z.object({
  id: z.string(),
  name: z.string(),
  steps: z.number(),
  usedBy: z.array(z.object({ id: z.string(), name: z.string() })),
});
export type ListedPart = z.infer<typeof ListedPartSchema>;

/** A file of a project as the product has it now: `revision` changes with its text; `isWritten` where a changed text can be taken in. */
export const ProjectFileStateSchema = z.object({
  path: z.string().refine((path) => pathProblem(path) === null, 'The path leads out of the project.'),
  revision: z.string(),
  isWritten: z.boolean(),
});
export type ProjectFileState = z.infer<typeof ProjectFileStateSchema>;

/** A backup of all that a server holds. */
export const BackupSchema = z.object({
  path: z.string().describe('where it lies on the machine of the server'),
  bytes: z.number().int(),
  at: z.iso.datetime(),
});
export type Backup = z.infer<typeof BackupSchema>;

/** A recorded answer that holds a failure sign. */
export const HeldSignSchema = z.object({
  takeId: z.string(),
  take: z.string(),
  exchange: z.number(),
  url: z.string(),
  sentence: z.string(),
});
export type HeldSign = z.infer<typeof HeldSignSchema>;

/** What a watched host shows at a moment. */
export const HostNowSchema = z.object({
  watch: z.string(),
  values: z.record(z.string(), z.number().nullable()),
  problem: z.string().nullable(),
});
export type HostNow = z.infer<typeof HostNowSchema>;
