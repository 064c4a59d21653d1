import { StoredPartSchema, sayScriptChange, StoredScriptSchema, type Part, type Script, type Version } from '@sturdy/core';
import { asc, eq } from 'drizzle-orm';
import type { DamageList } from './damage-list.js';
import type { Database } from './repository.js';
import { parts, rehearsals, scripts, scriptVersions } from './tables.js';
import { VersionKeeper } from './version-keeper.js';

/** Scripts, their versions, and the parts that several of them have. Lives in the store's worker thread, as `Repository` does. */
export class ScriptRepository {
  readonly #versions = new VersionKeeper(scriptVersions, (json) => StoredScriptSchema.parse(json), sayScriptChange);

  constructor(
    readonly database: Database,
    readonly damage: DamageList,
  ) {}

  async scripts(projectId: string): Promise<Script[]> {
    const rows = await this.database.select().from(scripts).where(eq(scripts.projectId, projectId)).orderBy(asc(scripts.id));
    return this.damage.all('script', rows, (row) => row.id, StoredScriptSchema);
  }

  async script(id: string): Promise<Script | null> {
    const [row] = await this.database.select().from(scripts).where(eq(scripts.id, id));
    return row ? this.damage.read('script', id, StoredScriptSchema, row.doc) : null;
  }

  /** Saves a script and keeps the state as a version; `what` says what was done where it was more than editing. */
  async saveScript(doc: Script, by: string, at: string, what?: string): Promise<void> {
    await this.database.transaction(async (change) => {
      const [known] = await change.select().from(scripts).where(eq(scripts.id, doc.id));
      await change
        .insert(scripts)
        .values({ id: doc.id, projectId: doc.projectId, doc })
        .onConflictDoUpdate({ target: scripts.id, set: { doc } });
      await this.#versions.keep(change, doc.id, known ? this.damage.read('script', doc.id, StoredScriptSchema, known.doc) : null, doc, {
        by,
        at,
        what,
      });
    });
  }

  /** The versions of a script, the newest first. */
  scriptVersions(scriptId: string): Promise<Version[]> {
    return this.#versions.list(this.database, scriptId);
  }

  /** A script as it was in a version; null where there is none. */
  scriptAt(scriptId: string, number: number): Promise<Script | null> {
    return this.#versions.at(this.database, scriptId, number);
  }

  async parts(projectId: string): Promise<Part[]> {
    const rows = await this.database.select().from(parts).where(eq(parts.projectId, projectId)).orderBy(asc(parts.id));
    return this.damage.all('part', rows, (row) => row.id, StoredPartSchema);
  }

  /** A part of whatever project; null where there is none. */
  async part(id: string): Promise<Part | null> {
    const [row] = await this.database.select().from(parts).where(eq(parts.id, id));
    return row ? this.damage.read('part', id, StoredPartSchema, row.doc) : null;
  }

  async savePart(doc: Part): Promise<void> {
    await this.database
      .insert(parts)
      .values({ id: doc.id, projectId: doc.projectId, doc })
      .onConflictDoUpdate({ target: parts.id, set: { doc } });
  }

  async deletePart(id: string): Promise<void> {
    await this.database.delete(parts).where(eq(parts.id, id));
  }

  async deleteScript(id: string): Promise<void> {
    await this.#versions.forget(this.database, id);
    await this.database.delete(rehearsals).where(eq(rehearsals.scriptId, id));
    await this.database.delete(scripts).where(eq(scripts.id, id));
  }
}
