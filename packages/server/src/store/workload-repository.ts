import { sayWorkloadChange, WorkloadSchema, type Version, type Workload } from '@sturdy/core';
import { asc, eq } from 'drizzle-orm';
import type { DamageList } from './damage-list.js';
import type { Database } from './repository.js';
import { workloads, workloadVersions } from './tables.js';
import { VersionKeeper } from './version-keeper.js';

/** Workloads and their versions. Lives in the store's worker thread, as `Repository` does. */
export class WorkloadRepository {
  readonly #versions = new VersionKeeper(workloadVersions, (json) => WorkloadSchema.parse(json), sayWorkloadChange);

  constructor(
    readonly database: Database,
    readonly damage: DamageList,
  ) {}

  async workloads(projectId: string): Promise<Workload[]> {
    const rows = await this.database.select().from(workloads).where(eq(workloads.projectId, projectId)).orderBy(asc(workloads.id));
    return this.damage.all('workload', rows, (row) => row.id, WorkloadSchema);
  }

  async workload(id: string): Promise<Workload | null> {
    const [row] = await this.database.select().from(workloads).where(eq(workloads.id, id));
    return row ? this.damage.read('workload', id, WorkloadSchema, row.doc) : null;
  }

  /** Saves a workload and keeps the state as a version; `what` says what was done where it was more than editing. */
  async saveWorkload(doc: Workload, by: string, at: string, what?: string): Promise<void> {
    await this.database.transaction(async (change) => {
      const [known] = await change.select().from(workloads).where(eq(workloads.id, doc.id));
      await change
        .insert(workloads)
        .values({ id: doc.id, projectId: doc.projectId, doc })
        .onConflictDoUpdate({ target: workloads.id, set: { doc } });
      await this.#versions.keep(change, doc.id, known ? this.damage.read('workload', doc.id, WorkloadSchema, known.doc) : null, doc, {
        by,
        at,
        what,
      });
    });
  }

  /** The versions of a workload, the newest first. */
  workloadVersions(workloadId: string): Promise<Version[]> {
    return this.#versions.list(this.database, workloadId);
  }

  /** A workload as it was in a version; null where there is none. */
  workloadAt(workloadId: string, number: number): Promise<Workload | null> {
    return this.#versions.at(this.database, workloadId, number);
  }

  async deleteWorkload(id: string): Promise<void> {
    await this.#versions.forget(this.database, id);
    await this.database.delete(workloads).where(eq(workloads.id, id));
  }
}
