import {
  BriefSchema,
  IssuedReportSchema,
  ProjectSettingsSchema,
  ProofSchema,
  RunSchema,
  VerdictSchema,
  type Brief,
  type IssuedReport,
  type ListedReport,
  type Project,
  type ProjectSettings,
  type ProjectState,
  type ProjectSummary,
} from '@sturdy/core';
import { asc, desc, eq, inArray, sql } from 'drizzle-orm';
import type { AnyPgColumn, AnyPgTable } from 'drizzle-orm/pg-core';
import type { Database } from './repository.js';
import * as tables from './tables.js';

/** Tables that name the project of each row, in the order in which they are emptied. */
const ofProject = [
  tables.environments,
  tables.history,
  tables.handoffPatterns,
  tables.parts,
  tables.takes,
  tables.scripts,
  tables.dataTables,
  tables.workloads,
  tables.briefs,
  tables.reports,
  tables.schedules,
  tables.scheduledStarts,
  tables.noticeSettings,
  tables.notices,
  tables.runs,
] as const;

/** A project where it is there for everybody, in a list; else none. */
const seen = ({ state, ...project }: { id: string; name: string; state: ProjectState | 'importing' }): Project[] =>
  state === 'importing' ? [] : [{ ...project, state }];

/** Projects, and what holds for all of each. Lives in the store's worker thread, as `Repository` does. */
export class ProjectRepository {
  constructor(readonly database: Database) {}

  /** All projects, the first made first; those that wait to be deleted for good among them. */
  async projects(): Promise<Project[]> {
    const { id, name, state, number } = tables.projects;
    const rows = await this.database.select({ id, name, state }).from(tables.projects).orderBy(asc(number));
    return rows.flatMap(seen);
  }

  /** A project; null where there is none. */
  async project(projectId: string): Promise<Project | null> {
    const { id, name, state } = tables.projects;
    const rows = await this.database.select({ id, name, state }).from(tables.projects).where(eq(id, projectId));
    return rows.flatMap(seen)[0] ?? null;
  }

  async saveProject(project: { id: string; name: string; state?: ProjectState }): Promise<void> {
    const { id: _id, ...changes } = project;
    await this.database.insert(tables.projects).values(project).onConflictDoUpdate({ target: tables.projects.id, set: changes });
  }

  /** Begins a project that is read out of files; it is seen once it is saved as one in use. */
  async saveImportedProject(id: string, name: string): Promise<void> {
    await this.database.insert(tables.projects).values({ id, name, state: 'importing' });
  }

  /** Ids of projects whose import was broken off by a crash. */
  async leftImports(): Promise<string[]> {
    const { id, state } = tables.projects;
    return (await this.database.select({ id }).from(tables.projects).where(eq(state, 'importing'))).map((row) => row.id);
  }

  async projectSettings(projectId: string): Promise<ProjectSettings> {
    const [row] = await this.database
      .select({ settings: tables.projects.settings })
      .from(tables.projects)
      .where(eq(tables.projects.id, projectId));
    return ProjectSettingsSchema.parse(row?.settings ?? {});
  }

  async saveProjectSettings(projectId: string, settings: ProjectSettings): Promise<void> {
    await this.database.update(tables.projects).set({ settings }).where(eq(tables.projects.id, projectId));
  }

  /** The brief of a project; an empty one where nothing was written yet. */
  async brief(projectId: string): Promise<Brief> {
    const [row] = await this.database.select().from(tables.briefs).where(eq(tables.briefs.projectId, projectId));
    return BriefSchema.parse(row?.doc ?? {});
  }

  async saveBrief(projectId: string, doc: Brief): Promise<void> {
    await this.database
      .insert(tables.briefs)
      .values({ projectId, doc })
      .onConflictDoUpdate({ target: tables.briefs.projectId, set: { doc } });
  }

  /** The reports of a project, the newest first. */
  async reports(projectId: string): Promise<ListedReport[]> {
    const rows = await this.database.select().from(tables.reports).where(eq(tables.reports.projectId, projectId));
    return rows
      .map(({ doc: { document, ...report } }) => ({ ...report, title: document.title }))
      .sort((left, right) => right.issuedAt.localeCompare(left.issuedAt));
  }

  /** A report as it was issued; null where there is none. */
  async issuedReport(id: string): Promise<IssuedReport | null> {
    const [row] = await this.database.select().from(tables.reports).where(eq(tables.reports.id, id));
    return row ? IssuedReportSchema.parse(row.doc) : null;
  }

  async saveReport(doc: IssuedReport): Promise<void> {
    await this.database.insert(tables.reports).values({ id: doc.id, projectId: doc.projectId, doc });
  }

  async deleteReport(id: string): Promise<void> {
    await this.database.delete(tables.reports).where(eq(tables.reports.id, id));
  }

  /** What is known of each project without reading all of it. */
  async projectSummaries(): Promise<ProjectSummary[]> {
    const [projects, takes, workloads, runs] = [
      await this.projects(),
      await this.#counts(tables.takes, tables.takes.projectId),
      await this.#counts(tables.workloads, tables.workloads.projectId),
      await this.#counts(tables.runs, tables.runs.projectId),
    ];
    const summaries: ProjectSummary[] = [];
    for (const project of projects)
      summaries.push({
        ...project,
        takes: takes.get(project.id) ?? 0,
        workloads: workloads.get(project.id) ?? 0,
        runs: runs.get(project.id) ?? 0,
        rehearsals: await this.#lastRehearsals(project.id),
        lastRun: await this.#lastRun(project.id),
      });
    return summaries;
  }

  async #counts(table: AnyPgTable, projectId: AnyPgColumn): Promise<Map<string, number>> {
    const rows = await this.database
      .select({ id: sql<string>`${projectId}`, count: sql<number>`count(*)::int` })
      .from(table)
      .groupBy(projectId);
    return new Map(rows.map(({ id, count }) => [id, count]));
  }

  async #lastRehearsals(projectId: string): Promise<ProjectSummary['rehearsals']> {
    const { scripts, rehearsals } = tables;
    const rows = await this.database
      .selectDistinctOn([scripts.id], {
        verdict: sql<unknown>`${rehearsals.doc}->>'verdict'`,
        proof: sql<unknown>`${rehearsals.doc}->'proof'`,
      })
      .from(scripts)
      .leftJoin(rehearsals, sql`${rehearsals.scriptId} = ${scripts.id} and ${rehearsals.doc}->'trial' is null`)
      .where(eq(scripts.projectId, projectId))
      .orderBy(asc(scripts.id), sql`${rehearsals.number} desc nulls last`);
    return rows.map(({ verdict, proof }) => {
      const known = VerdictSchema.safeParse(verdict);
      const proven = ProofSchema.safeParse(proof);
      return known.success ? { verdict: known.data, ...(proven.success ? { proof: proven.data } : {}) } : null;
    });
  }

  async #lastRun(projectId: string): Promise<ProjectSummary['lastRun']> {
    const { runs } = tables;
    const [row] = await this.database
      .select({ doc: runs.doc })
      .from(runs)
      .where(eq(runs.projectId, projectId))
      .orderBy(desc(runs.number))
      .limit(1);
    const run = RunSchema.safeParse(row?.doc);
    if (!run.success) return null;
    const { id, number, state, verdict, startedAt, workload } = run.data;
    return { id, number, state, verdict, startedAt, workload: workload.name };
  }

  /** Which of these ids something has already, in whatever project. */
  async takenIds(ids: string[]): Promise<string[]> {
    const { takes, parts, scripts, dataTables, rehearsals, workloads, runs } = tables;
    const taken: string[] = [];
    if (ids.length === 0) return taken;
    for (const table of [takes, parts, scripts, dataTables, rehearsals, workloads, runs])
      taken.push(...(await this.database.select({ id: table.id }).from(table).where(inArray(table.id, ids))).map(({ id }) => id));
    return taken;
  }

  /** Deletes a project with all that is in it. Gives the ids of its runs, whose samples lie elsewhere. Bodies stay, because others may use them. */
  async deleteProject(projectId: string): Promise<string[]> {
    const { takes, exchanges, scripts, scriptVersions, rehearsals, dataTables, workloads, workloadVersions, runs, frames, hostPoints } =
      tables;
    const idsIn = async (table: typeof takes | typeof scripts | typeof dataTables | typeof workloads | typeof runs): Promise<string[]> =>
      (await this.database.select({ id: table.id }).from(table).where(eq(table.projectId, projectId))).map(({ id }) => id);
    const runIds = await idsIn(runs);
    const owned: [AnyPgTable, AnyPgColumn, string[]][] = [
      [exchanges, exchanges.takeId, await idsIn(takes)],
      [scriptVersions, scriptVersions.ownerId, await idsIn(scripts)],
      [rehearsals, rehearsals.scriptId, await idsIn(scripts)],
      [tables.dataRows, tables.dataRows.tableId, await idsIn(dataTables)],
      [tables.dataVersions, tables.dataVersions.tableId, await idsIn(dataTables)],
      [tables.dataVersionRows, tables.dataVersionRows.tableId, await idsIn(dataTables)],
      [workloadVersions, workloadVersions.ownerId, await idsIn(workloads)],
      [frames, frames.runId, runIds],
      [hostPoints, hostPoints.runId, runIds],
    ];
    await this.database.transaction(async (change) => {
      for (const [table, owner, ids] of owned) if (ids.length > 0) await change.delete(table).where(inArray(owner, ids));
      for (const table of ofProject) await change.delete(table).where(eq(table.projectId, projectId));
      await change.delete(tables.projects).where(eq(tables.projects.id, projectId));
    });
    return runIds;
  }
}
