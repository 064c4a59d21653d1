import { gunzipSync, gzipSync } from 'node:zlib';
import { PartSchema, sayScriptChange, ScriptSchema, type Part, type Script, type ScriptVersion } from '@sturdy/core';
import { and, asc, desc, eq } from 'drizzle-orm';
import type { Database } from './repository.js';
import { parts, rehearsals, scripts, scriptVersions } from './tables.js';

/** Changes that follow each other within this time are one piece of work. */
const sameWorkMs = 2 * 60_000;

const packed = (doc: Script): Buffer => gzipSync(JSON.stringify(doc));
const unpacked = (bytes: Uint8Array): Script => ScriptSchema.parse(JSON.parse(gunzipSync(bytes).toString('utf8')));

/** Scripts, their versions, and the parts that several of them have. Lives in the store's worker thread, as `Repository` does. */
export class ScriptRepository {
  constructor(readonly database: Database) {}

  async scripts(projectId: string): Promise<Script[]> {
    const rows = await this.database.select().from(scripts).where(eq(scripts.projectId, projectId)).orderBy(asc(scripts.id));
    return rows.map((row) => ScriptSchema.parse(row.doc));
  }

  async script(id: string): Promise<Script | null> {
    const [row] = await this.database.select().from(scripts).where(eq(scripts.id, id));
    return row ? ScriptSchema.parse(row.doc) : null;
  }

  /**
   * Saves a script and keeps the state as a version. Changes of the same person within a short time are one version, so that the list tells
   * of work and not of keystrokes; `what` says what was done where it was more than editing.
   */
  async saveScript(doc: Script, by: string, at: string, what?: string): Promise<void> {
    await this.database.transaction(async (change) => {
      const [known] = await change.select().from(scripts).where(eq(scripts.id, doc.id));
      const before = known ? ScriptSchema.parse(known.doc) : null;
      await change
        .insert(scripts)
        .values({ id: doc.id, projectId: doc.projectId, doc })
        .onConflictDoUpdate({ target: scripts.id, set: { doc } });
      const told = before ? sayScriptChange(before, doc) : 'made';
      if (told === '') return;
      const [last, base] = await change
        .select()
        .from(scriptVersions)
        .where(eq(scriptVersions.scriptId, doc.id))
        .orderBy(desc(scriptVersions.number))
        .limit(2);
      const goesOn = what === undefined && last && !last.closed && last.by === by && Date.parse(at) - Date.parse(last.at) < sameWorkMs;
      if (goesOn && base) {
        const all = sayScriptChange(unpacked(base.packed), doc);
        await change
          .update(scriptVersions)
          .set({ packed: packed(doc), at, what: all === '' ? 'changed and changed back' : all })
          .where(and(eq(scriptVersions.scriptId, doc.id), eq(scriptVersions.number, last.number)));
        return;
      }
      // A script that is older than its versions begins with how it was before its first change.
      const first =
        !last && before ? [{ scriptId: doc.id, number: 1, at, by, what: 'as it was', closed: true, packed: packed(before) }] : [];
      const number = (last?.number ?? first.length) + 1;
      await change.insert(scriptVersions).values([
        ...first,
        {
          scriptId: doc.id,
          number,
          at,
          by,
          what: what === undefined ? told : `${what}: ${told}`,
          closed: what !== undefined || !before,
          packed: packed(doc),
        },
      ]);
    });
  }

  /** The versions of a script, the newest first. */
  async scriptVersions(scriptId: string): Promise<ScriptVersion[]> {
    return this.database
      .select({
        number: scriptVersions.number,
        at: scriptVersions.at,
        by: scriptVersions.by,
        what: scriptVersions.what,
      })
      .from(scriptVersions)
      .where(eq(scriptVersions.scriptId, scriptId))
      .orderBy(desc(scriptVersions.number));
  }

  /** A script as it was in a version; null where there is none. */
  async scriptAt(scriptId: string, number: number): Promise<Script | null> {
    const [row] = await this.database
      .select()
      .from(scriptVersions)
      .where(and(eq(scriptVersions.scriptId, scriptId), eq(scriptVersions.number, number)));
    return row ? unpacked(row.packed) : null;
  }

  async parts(projectId: string): Promise<Part[]> {
    const rows = await this.database.select().from(parts).where(eq(parts.projectId, projectId)).orderBy(asc(parts.id));
    return rows.map((row) => PartSchema.parse(row.doc));
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
    await this.database.delete(scriptVersions).where(eq(scriptVersions.scriptId, id));
    await this.database.delete(rehearsals).where(eq(rehearsals.scriptId, id));
    await this.database.delete(scripts).where(eq(scripts.id, id));
  }
}
