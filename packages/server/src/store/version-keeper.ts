import { gunzipSync, gzipSync } from 'node:zlib';
import type { Version } from '@sturdy/core';
import { and, desc, eq } from 'drizzle-orm';
import type { Database } from './repository.js';
import type { VersionTable } from './tables.js';

/** Changes that follow each other within this time are one piece of work. */
const sameWorkMs = 2 * 60_000;

/** Who saved what, and when. `what` says what was done where it was more than editing. */
export interface Saving {
  by: string;
  at: string;
  what?: string | undefined;
}

/** Keeps the states of documents of one kind as they are saved. */
export class VersionKeeper<T> {
  constructor(
    readonly table: VersionTable,
    readonly read: (json: unknown) => T,
    /** What differs between two states, in a few words; empty where nothing does. */
    readonly say: (before: T, after: T) => string,
  ) {}

  /**
   * Keeps the state of a document that is being saved. Changes of the same person within a short time are one version, so that the list tells
   * of work and not of keystrokes.
   */
  async keep(change: Database, ownerId: string, before: T | null, doc: T, { by, at, what }: Saving): Promise<void> {
    const changes = before ? this.say(before, doc) : 'made';
    if (changes === '') return;
    const [last, base] = await change
      .select()
      .from(this.table)
      .where(eq(this.table.ownerId, ownerId))
      .orderBy(desc(this.table.number))
      .limit(2);
    const goesOn = what === undefined && last && !last.closed && last.by === by && Date.parse(at) - Date.parse(last.at) < sameWorkMs;
    if (goesOn && base) {
      const all = this.say(this.#unpack(base.packed), doc);
      await change
        .update(this.table)
        .set({ packed: pack(doc), at, what: all === '' ? 'changed and changed back' : all })
        .where(and(eq(this.table.ownerId, ownerId), eq(this.table.number, last.number)));
      return;
    }
    // What is older than its versions begins with how it was before its first change.
    const first = !last && before ? [{ ownerId, number: 1, at, by, what: 'as it was', closed: true, packed: pack(before) }] : [];
    await change.insert(this.table).values([
      ...first,
      {
        ownerId,
        number: (last?.number ?? first.length) + 1,
        at,
        by,
        what: what === undefined ? changes : `${what}: ${changes}`,
        closed: what !== undefined || !before,
        packed: pack(doc),
      },
    ]);
  }

  /** The versions of a document, the newest first. */
  async list(database: Database, ownerId: string): Promise<Version[]> {
    const { number, at, by, what } = this.table;
    return database.select({ number, at, by, what }).from(this.table).where(eq(this.table.ownerId, ownerId)).orderBy(desc(number));
  }

  /** A document as it was in a version; null where there is none. */
  async at(database: Database, ownerId: string, number: number): Promise<T | null> {
    const [row] = await database
      .select()
      .from(this.table)
      .where(and(eq(this.table.ownerId, ownerId), eq(this.table.number, number)));
    return row ? this.#unpack(row.packed) : null;
  }

  async forget(database: Database, ownerId: string): Promise<void> {
    await database.delete(this.table).where(eq(this.table.ownerId, ownerId));
  }

  #unpack(bytes: Uint8Array): T {
    return this.read(JSON.parse(gunzipSync(bytes).toString('utf8')));
  }
}

const pack = (doc: unknown): Buffer => gzipSync(JSON.stringify(doc));
