import { EnvironmentSchema, HistoryEntrySchema, type Environment, type HistoryEntry } from '@sturdy/core';
import { and, asc, desc, eq, sql } from 'drizzle-orm';
import type { DamageList } from './damage-list.js';
import type { Database } from './repository.js';
import { isSealedOtherwise, openEnvironment, sealEnvironment } from './sealed-environment.js';
import type { SecretBox } from './secret-box.js';
import * as tables from './tables.js';

/** How a stored environment is called among documents: its id is unique in its project alone. */
const environmentDocument = ({ projectId, id }: { projectId: string; id: string }): string => `${projectId}/${id}`;

/** Environments with their secrets sealed, and the history of a project. Lives in the store's worker thread, as `Repository` does. */
export class EnvironmentRepository {
  constructor(
    readonly database: Database,
    readonly damage: DamageList,
    readonly secrets: SecretBox,
  ) {}

  async environments(projectId: string): Promise<Environment[]> {
    const rows = await this.database
      .select()
      .from(tables.environments)
      .where(eq(tables.environments.projectId, projectId))
      // In the order in which they were made: e2 before e10.
      .orderBy(sql`length(${tables.environments.id})`, asc(tables.environments.id));
    const opened = rows.map(({ id, doc }) => ({ id, projectId, doc: openEnvironment(doc, id, this.secrets) }));
    return this.damage.all('environment', opened, environmentDocument, EnvironmentSchema);
  }

  /** Seals what lies there unsealed or under an older key. Throws where a secret cannot be opened with the keys that are there. */
  async sealEnvironments(): Promise<void> {
    let sealed = 0;
    for (const row of await this.database.select().from(tables.environments)) {
      const { id, doc } = row;
      const opened = this.damage.read('environment', environmentDocument(row), EnvironmentSchema, openEnvironment(doc, id, this.secrets));
      if (!opened || !isSealedOtherwise(doc, this.secrets)) continue;
      await this.saveEnvironment(opened);
      sealed++;
    }
    // What stood there before would stay in the file of the table until its room is needed.
    if (sealed > 0) await this.database.execute(sql`vacuum full environments`);
  }

  async saveEnvironment(environment: Environment): Promise<void> {
    const doc = sealEnvironment(environment, this.secrets);
    await this.database
      .insert(tables.environments)
      .values({ id: doc.id, projectId: doc.projectId, doc })
      .onConflictDoUpdate({ target: [tables.environments.projectId, tables.environments.id], set: { doc } });
  }

  async deleteEnvironment(projectId: string, id: string): Promise<void> {
    await this.database
      .delete(tables.environments)
      .where(and(eq(tables.environments.projectId, projectId), eq(tables.environments.id, id)));
  }

  async addHistory(projectId: string, doc: HistoryEntry): Promise<void> {
    await this.database.insert(tables.history).values({ projectId, doc });
  }

  /** The newest entries of a project's history, the newest first. */
  async history(projectId: string, most: number): Promise<HistoryEntry[]> {
    const rows = await this.database
      .select()
      .from(tables.history)
      .where(eq(tables.history.projectId, projectId))
      .orderBy(desc(tables.history.number))
      .limit(most);
    return rows.map(({ doc }) => HistoryEntrySchema.parse(doc));
  }
}
