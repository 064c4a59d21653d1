import { RunSchema, TakeSchema, type Damaged } from '@sturdy/core';
import { and, eq, inArray, notInArray, sql, type SQL } from 'drizzle-orm';
import type { DamageList, DocumentKind } from './damage-list.js';
import type { Database, Repository } from './repository.js';
import * as tables from './tables.js';
import { unfoldTake } from './unfold-take.js';

/** Where the documents of each kind are kept. */
const documentTables = {
  environment: tables.environments,
  take: tables.takes,
  exchange: tables.exchanges,
  pattern: tables.handoffPatterns,
  script: tables.scripts,
  part: tables.parts,
  rehearsal: tables.rehearsals,
  workload: tables.workloads,
  run: tables.runs,
  schedule: tables.schedules,
  start: tables.scheduledStarts,
  notice: tables.notices,
} as const;

function isDocument(kind: DocumentKind, id: string): SQL | undefined {
  const cut = id.lastIndexOf('/');
  if (kind === 'environment' || kind === 'pattern')
    return and(eq(documentTables[kind].projectId, id.slice(0, cut)), eq(documentTables[kind].id, id.slice(cut + 1)));
  if (kind !== 'exchange') return eq(documentTables[kind].id, id);
  return and(eq(tables.exchanges.takeId, id.slice(0, cut)), eq(tables.exchanges.n, Number(id.slice(cut + 1))));
}

/**
 * What a crash or a fault has left: it is closed, cleared away, or shown to be exported and deleted. Lives in the store's worker thread, as
 * `Repository` does.
 */
export class Recovery {
  constructor(
    readonly database: Database,
    readonly damage: DamageList,
    readonly repository: Repository,
  ) {}

  /** Documents that could not be read since the store was opened. */
  damaged(): Promise<Damaged[]> {
    return Promise.resolve(this.damage.list());
  }

  /** A damaged document as it is stored; null where it is not known as damaged. */
  async damagedDocument(kind: DocumentKind, id: string): Promise<unknown> {
    if (!this.damage.list().some((damaged) => damaged.kind === kind && damaged.id === id)) return null;
    const [row] = await this.database.select().from(documentTables[kind]).where(isDocument(kind, id));
    return row?.doc ?? null;
  }

  /** Deletes a document that is known as damaged; says whether it was. */
  async deleteDamaged(kind: DocumentKind, id: string): Promise<boolean> {
    if (!this.damage.list().some((damaged) => damaged.kind === kind && damaged.id === id)) return false;
    if (kind === 'take') await this.repository.deleteTake(id);
    else await this.database.delete(documentTables[kind]).where(isDocument(kind, id));
    this.damage.forget(kind, id);
    return true;
  }

  /** Deletes what imports that were broken off by a crash have left: exchanges of no take, and rows of no table. */
  async #clearLeftImports(): Promise<void> {
    const { takes, exchanges, dataTables, dataRows, dataVersionRows } = tables;
    const known = this.database.select({ id: takes.id }).from(takes);
    await this.database.delete(exchanges).where(notInArray(exchanges.takeId, known));
    const tableIds = this.database.select({ id: dataTables.id }).from(dataTables);
    await this.database.delete(dataRows).where(notInArray(dataRows.tableId, tableIds));
    await this.database.delete(dataVersionRows).where(notInArray(dataVersionRows.tableId, tableIds));
  }

  /** Closes what a crash left open: runs become interrupted, recordings are done. Resolves with their numbers and names. */
  async closeOpen(): Promise<{ runs: number[]; takes: string[] }> {
    const closed = { runs: [] as number[], takes: [] as string[] };
    const open = await this.database
      .select()
      .from(tables.runs)
      .where(sql`${tables.runs.doc}->>'state' in ('starting', 'running', 'finishing')`);
    for (const row of open) {
      const [last] = await this.database
        .select({ second: sql<number>`coalesce(max(${tables.frames.second}), 0)::int` })
        .from(tables.frames)
        .where(eq(tables.frames.runId, row.id));
      const run = this.damage.read('run', row.id, RunSchema, row.doc);
      if (!run) continue;
      closed.runs.push(run.number);
      await this.repository.saveRun({
        ...run,
        state: 'interrupted',
        endedAt: new Date(Date.parse(run.startedAt) + (last?.second ?? 0) * 1000).toISOString(),
        note: 'The server ended before the run did. Its figures up to the last flush are here; rows that were leased count as spent.',
      });
    }
    // Nobody holds what was to be held only while it was played.
    const held = this.database
      .select({ id: tables.dataTables.id })
      .from(tables.dataTables)
      .where(sql`${tables.dataTables.deal}->>'use' = 'exclusive'`);
    await this.database.update(tables.dataRows).set({ spentBy: null }).where(inArray(tables.dataRows.tableId, held));
    await this.#clearLeftImports();
    const recording = await this.database
      .select()
      .from(tables.takes)
      .where(sql`${tables.takes.doc}->>'state' <> 'done'`);
    for (const row of recording) {
      const take = this.damage.read('take', row.id, TakeSchema, row.doc);
      if (!take) continue;
      closed.takes.push(take.name);
      await this.repository.saveTake({
        ...(await unfoldTake(this.repository, take, await this.repository.exchanges(take.id))),
        state: 'done',
      });
    }
    return closed;
  }
}
