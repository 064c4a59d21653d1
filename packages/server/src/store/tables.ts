import { boolean, customType, index, integer, pgTable, primaryKey } from 'drizzle-orm/pg-core';
import type {
  Brief,
  DataTable,
  Environment,
  Exchange,
  Frame,
  HostPoint,
  HandoffPattern,
  HistoryEntry,
  IssuedReport,
  Notice,
  NoticeSettings,
  Part,
  ProjectSettings,
  ProjectState,
  Rehearsal,
  Run,
  Schedule,
  ScheduledStart,
  Script,
  Take,
  Workload,
} from '@sturdy/core';

import { document, text } from './stored-text.js';

const bytes = customType<{ data: Uint8Array; driverData: Uint8Array }>({ dataType: () => 'bytea' });

/** Texts and documents pass the gate of stored-text.ts; documents are validated with their Zod schemas when they are read back. */
export const projects = pgTable('projects', {
  id: text().primaryKey(),
  name: text().notNull(),
  settings: document().$type<ProjectSettings>(),
  /** `importing` while it is read out of files: nobody sees it then, and a crash leaves nothing of it. */
  state: text().$type<ProjectState | 'importing'>().notNull().default('active'),
  /** Counts up, so that projects keep their order. */
  number: integer().notNull().generatedAlwaysAsIdentity(),
});

export const environments = pgTable(
  'environments',
  { id: text().notNull(), projectId: text('project_id').notNull(), doc: document().$type<Environment>().notNull() },
  (table) => [primaryKey({ columns: [table.projectId, table.id] })],
);

/** What was allowed and what made use of it, in the order in which it happened; only added to. */
export const history = pgTable(
  'history',
  {
    number: integer().primaryKey().generatedAlwaysAsIdentity(),
    projectId: text('project_id').notNull(),
    doc: document().$type<HistoryEntry>().notNull(),
  },
  (table) => [index('history_of_project').on(table.projectId, table.number)],
);

export const takes = pgTable('takes', {
  id: text().primaryKey(),
  projectId: text('project_id').notNull(),
  startedAt: text('started_at').notNull(),
  doc: document().$type<Take>().notNull(),
});

export const exchanges = pgTable(
  'exchanges',
  { takeId: text('take_id').notNull(), n: integer().notNull(), doc: document().$type<Exchange>().notNull() },
  (table) => [primaryKey({ columns: [table.takeId, table.n] })],
);

/** Bodies by the SHA-256 of their bytes, compressed with gzip, each stored once. */
export const bodies = pgTable('bodies', {
  hash: text().primaryKey(),
  size: integer().notNull(),
  mimeType: text('mime_type').notNull(),
  packed: bytes().notNull(),
});

export const scripts = pgTable('scripts', {
  id: text().primaryKey(),
  projectId: text('project_id').notNull(),
  doc: document().$type<Script>().notNull(),
});

/** States of something as they were saved, packed. */
const versionTable = (name: string, owner: string) =>
  pgTable(
    name,
    {
      ownerId: text(owner).notNull(),
      number: integer().notNull(),
      at: text().notNull(),
      by: text().notNull(),
      what: text().notNull(),
      /** True where what follows is another piece of work, whoever did it and however soon. */
      closed: boolean().notNull(),
      packed: bytes().notNull(),
    },
    (table) => [primaryKey({ columns: [table.ownerId, table.number] })],
  );
export type VersionTable = ReturnType<typeof versionTable>;
export const scriptVersions = versionTable('script_versions', 'script_id');
export const workloadVersions = versionTable('workload_versions', 'workload_id');

/** Sequences of steps that are kept once; scripts hold copies that are brought up to date. */
export const parts = pgTable('parts', {
  id: text().primaryKey(),
  projectId: text('project_id').notNull(),
  doc: document().$type<Part>().notNull(),
});

/** A project's own handoff patterns, and those of the shipped ones that it changed. */
export const handoffPatterns = pgTable(
  'handoff_patterns',
  { projectId: text('project_id').notNull(), id: text().notNull(), doc: document().$type<HandoffPattern>().notNull() },
  (table) => [primaryKey({ columns: [table.projectId, table.id] })],
);

export const rehearsals = pgTable(
  'rehearsals',
  {
    id: text().primaryKey(),
    scriptId: text('script_id').notNull(),
    number: integer().notNull(),
    doc: document().$type<Rehearsal>().notNull(),
  },
  (table) => [index('rehearsals_of_script').on(table.scriptId, table.number)],
);

export const dataTables = pgTable('data_tables', {
  id: text().primaryKey(),
  projectId: text('project_id').notNull(),
  name: text().notNull(),
  columns: document().$type<DataTable['columns']>().notNull(),
  deal: document().$type<DataTable['deal']>().notNull(),
  /** The version that the rows show. */
  version: integer().notNull().default(0),
});

/**
 * What was changed in a table. A version and its rows hold the other side of the change: how it was before where the version is part of what
 * the table shows, how it was after where it was taken back. So taking back and making again are the same exchange.
 */
export const dataVersions = pgTable(
  'data_versions',
  {
    tableId: text('table_id').notNull(),
    number: integer().notNull(),
    fromVersion: integer('from_version').notNull(),
    what: text().notNull(),
    by: text().notNull(),
    at: text().notNull(),
    rows: integer().notNull(),
    columns: document().$type<DataTable['columns']>().notNull(),
  },
  (table) => [primaryKey({ columns: [table.tableId, table.number] })],
);

/** The other side of one row of a version; no values where the row was not there. */
export const dataVersionRows = pgTable(
  'data_version_rows',
  {
    tableId: text('table_id').notNull(),
    number: integer().notNull(),
    row: integer().notNull(),
    values: document().$type<string[]>(),
    spentBy: text('spent_by'),
  },
  (table) => [primaryKey({ columns: [table.tableId, table.number, table.row] })],
);

/** One row of a data table; `spentBy` names the run or rehearsal that it was leased to. */
export const dataRows = pgTable(
  'data_rows',
  {
    tableId: text('table_id').notNull(),
    row: integer().notNull(),
    values: document().$type<string[]>().notNull(),
    spentBy: text('spent_by'),
  },
  (table) => [primaryKey({ columns: [table.tableId, table.row] })],
);

export const workloads = pgTable('workloads', {
  id: text().primaryKey(),
  projectId: text('project_id').notNull(),
  doc: document().$type<Workload>().notNull(),
});

/** What a project's test is for; one for each project. */
export const briefs = pgTable('briefs', {
  projectId: text('project_id').primaryKey(),
  doc: document().$type<Brief>().notNull(),
});

/** Reports as they were issued; the document is stored, its formats are made of it when they are asked for. */
export const reports = pgTable(
  'reports',
  { id: text().primaryKey(), projectId: text('project_id').notNull(), doc: document().$type<IssuedReport>().notNull() },
  (table) => [index('reports_of_project').on(table.projectId)],
);

export const runs = pgTable('runs', {
  id: text().primaryKey(),
  projectId: text('project_id').notNull(),
  number: integer().notNull(),
  doc: document().$type<Run>().notNull(),
});

/** Figures of hosts while a run lasted. */
export const hostPoints = pgTable(
  'host_points',
  { runId: text('run_id').notNull(), watch: text().notNull(), second: integer().notNull(), doc: document().$type<HostPoint>().notNull() },
  (table) => [primaryKey({ columns: [table.runId, table.watch, table.second] })],
);

export const frames = pgTable(
  'frames',
  {
    runId: text('run_id').notNull(),
    generator: integer().notNull(),
    second: integer().notNull(),
    doc: document().$type<Frame>().notNull(),
  },
  (table) => [primaryKey({ columns: [table.runId, table.second, table.generator] })],
);

/** Schedules, each with the moment up to which its starts were begun or missed (ISO 8601 in UTC): what was due by then is never begun later. */
export const schedules = pgTable('schedules', {
  id: text().primaryKey(),
  projectId: text('project_id').notNull(),
  consideredUntil: text('considered_until').notNull(),
  doc: document().$type<Schedule>().notNull(),
});

/** Starts that have come, and those whose readiness was looked at. */
export const scheduledStarts = pgTable(
  'scheduled_starts',
  {
    id: text().primaryKey(),
    projectId: text('project_id').notNull(),
    at: text().notNull(),
    doc: document().$type<ScheduledStart>().notNull(),
  },
  (table) => [index('starts_of_project').on(table.projectId, table.at)],
);

/** Who is told of what, and how; secrets are sealed. */
export const noticeSettings = pgTable('notice_settings', {
  projectId: text('project_id').primaryKey(),
  doc: document().$type<NoticeSettings>().notNull(),
});

/** Notices on their way, and those that have arrived or were given up. */
export const notices = pgTable(
  'notices',
  {
    id: text().primaryKey(),
    projectId: text('project_id').notNull(),
    state: text().$type<Notice['state']>().notNull(),
    at: text().notNull(),
    doc: document().$type<Notice>().notNull(),
  },
  (table) => [index('notices_of_project').on(table.projectId, table.at)],
);
