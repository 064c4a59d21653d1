import { gunzipSync, gzipSync } from 'node:zlib';
import {
  answerBody,
  sentBody,
  StoredExchangeSchema,
  FrameSchema,
  HostPointSchema,
  HandoffPatternSchema,
  RehearsalSchema,
  RunSchema,
  TakeSchema,
  type BodyRef,
  type Exchange,
  type Frame,
  type HostPoint,
  type HandoffPattern,
  type MessageExchange,
  type Rehearsal,
  type Run,
  type Take,
} from '@sturdy/core';
import { and, asc, desc, eq, gt, inArray, sql, type SQL } from 'drizzle-orm';
import type { PgDatabase, PgQueryResultHKT } from 'drizzle-orm/pg-core';
import type { DamageList } from './damage-list.js';
import { storedBody, type StoredBody } from './stored-body.js';
import * as tables from './tables.js';

/** The database, embedded or a server: both speak PostgreSQL and share schema and migrations. */
export type Database = PgDatabase<PgQueryResultHKT, typeof tables>;

/** A bulk insert holds this many rows, so that its parameters stay under PostgreSQL's limit of 65,535. */
const chunkRows = 2000;

const exchangeId = ({ takeId, n }: { takeId: string; n: number }): string => `${takeId}/${n}`;

/** What a take needs for computing: its exchanges, and the texts of its bodies by hash. */
export interface StoredTake {
  take: Take;
  exchanges: Exchange[];
  bodies: Record<string, string>;
  /** Request bodies that are no text throughout. */
  bytes: Record<string, Uint8Array>;
}

/**
 * Reading and writing of takes, patterns, rehearsals and runs. Lives in the store's worker thread; others reach it through `StoreClient`.
 * Documents are checked against their schemas when they are read.
 */
export class Repository {
  constructor(
    readonly database: Database,
    readonly damage: DamageList,
  ) {}

  /** How large the whole database is. */
  async databaseBytes(): Promise<number> {
    const { rows } = (await this.database.execute(sql`select pg_database_size(current_database()) as bytes`)) as {
      rows: { bytes: unknown }[];
    };
    return Number(rows[0]?.bytes ?? 0);
  }

  async takes(projectId: string): Promise<(Take & { exchangeCount: number })[]> {
    const rows = await this.database
      .select()
      .from(tables.takes)
      .where(eq(tables.takes.projectId, projectId))
      .orderBy(asc(tables.takes.startedAt));
    const counts = await this.database
      .select({ takeId: tables.exchanges.takeId, count: sql<number>`count(*)::int` })
      .from(tables.exchanges)
      .groupBy(tables.exchanges.takeId);
    const byTake = new Map(counts.map((count) => [count.takeId, count.count]));
    return this.damage.all('take', rows, (row) => row.id, TakeSchema).map((take) => ({ ...take, exchangeCount: byTake.get(take.id) ?? 0 }));
  }

  async take(id: string): Promise<Take | null> {
    const [row] = await this.database.select().from(tables.takes).where(eq(tables.takes.id, id));
    return row ? this.damage.read('take', id, TakeSchema, row.doc) : null;
  }

  async saveTake(doc: Take): Promise<void> {
    await this.database
      .insert(tables.takes)
      .values({ id: doc.id, projectId: doc.projectId, startedAt: doc.startedAt, doc })
      .onConflictDoUpdate({ target: tables.takes.id, set: { doc } });
  }

  async deleteTake(id: string): Promise<void> {
    await this.database.transaction(async (change) => {
      await change.delete(tables.exchanges).where(eq(tables.exchanges.takeId, id));
      await change.delete(tables.takes).where(eq(tables.takes.id, id));
    });
  }

  async exchanges(takeId: string): Promise<Exchange[]> {
    const rows = await this.database
      .select()
      .from(tables.exchanges)
      .where(eq(tables.exchanges.takeId, takeId))
      .orderBy(asc(tables.exchanges.n));
    return this.damage.all('exchange', rows, exchangeId, StoredExchangeSchema);
  }

  /**
   * The next exchanges of a take after the number `after`, `most` of them: for who goes through a large take without holding it. `last` is the number after which to ask
   * next, null at the end.
   */
  async exchangesAfter(takeId: string, after: number, most: number): Promise<{ exchanges: Exchange[]; last: number | null }> {
    const rows = await this.database
      .select()
      .from(tables.exchanges)
      .where(and(eq(tables.exchanges.takeId, takeId), gt(tables.exchanges.n, after)))
      .orderBy(asc(tables.exchanges.n))
      .limit(most);
    return { exchanges: this.damage.all('exchange', rows, exchangeId, StoredExchangeSchema), last: rows.at(-1)?.n ?? null };
  }

  /** Messages over WebSockets that are exchanges of their own, in order. */
  async messageExchanges(takeId: string): Promise<MessageExchange[]> {
    const rows = await this.database
      .select()
      .from(tables.exchanges)
      .where(and(eq(tables.exchanges.takeId, takeId), sql`${tables.exchanges.doc}->>'kind' = 'message'`))
      .orderBy(asc(tables.exchanges.n));
    return this.damage.all('exchange', rows, exchangeId, StoredExchangeSchema).filter((exchange) => exchange.kind === 'message');
  }

  async saveExchanges(takeId: string, docs: Exchange[]): Promise<void> {
    for (let at = 0; at < docs.length; at += chunkRows)
      await this.database
        .insert(tables.exchanges)
        .values(docs.slice(at, at + chunkRows).map((doc) => ({ takeId, n: doc.n, doc })))
        .onConflictDoUpdate({ target: [tables.exchanges.takeId, tables.exchanges.n], set: { doc: sql`excluded.doc` } });
  }

  /** True where an exchange of the take has messages of a WebSocket or events of a stream. */
  async hasMessages(takeId: string): Promise<boolean> {
    const rows = await this.database
      .select({ n: tables.exchanges.n })
      .from(tables.exchanges)
      .where(and(eq(tables.exchanges.takeId, takeId), sql`${tables.exchanges.doc} ? 'messages'`))
      .limit(1);
    return rows.length > 0;
  }

  /** Replaces all exchanges of a take at once. */
  async replaceExchanges(takeId: string, docs: Exchange[]): Promise<void> {
    await this.database.transaction(async (change) => {
      await change.delete(tables.exchanges).where(eq(tables.exchanges.takeId, takeId));
      for (let at = 0; at < docs.length; at += chunkRows)
        await change.insert(tables.exchanges).values(docs.slice(at, at + chunkRows).map((doc) => ({ takeId, n: doc.n, doc })));
    });
  }

  /** Puts exchanges of an import into the order of their starts: new numbers, and all starts moved by `shiftMs`. */
  async renumberExchanges(takeId: string, order: { from: number; to: number }[], shiftMs: number): Promise<void> {
    await this.database.transaction(async (change) => {
      for (let at = 0; at < order.length; at += chunkRows) {
        const pairs = sql.join(
          order.slice(at, at + chunkRows).map(({ from, to }) => sql`(${from}::int, ${to}::int)`),
          sql`, `,
        );
        // Below zero first: the new numbers are still taken by others.
        await change.execute(
          sql`update exchanges set n = -moved.new_n from (values ${pairs}) as moved(old_n, new_n) where take_id = ${takeId} and n = moved.old_n`,
        );
      }
      await change.execute(sql`update exchanges set n = -n where take_id = ${takeId} and n < 0`);
      await change.execute(
        sql`update exchanges set doc = doc || jsonb_build_object('n', n, 'startedAtMs', (doc->>'startedAtMs')::float8 + ${shiftMs}::float8) where take_id = ${takeId}`,
      );
    });
  }

  async deleteExchanges(takeId: string, numbers: number[]): Promise<void> {
    await this.database.delete(tables.exchanges).where(and(eq(tables.exchanges.takeId, takeId), inArray(tables.exchanges.n, numbers)));
  }

  /** One exchange of a take; null where there is none. */
  async exchange(takeId: string, n: number): Promise<Exchange | null> {
    const [row] = await this.database
      .select()
      .from(tables.exchanges)
      .where(and(eq(tables.exchanges.takeId, takeId), eq(tables.exchanges.n, n)));
    return row ? this.damage.read('exchange', exchangeId(row), StoredExchangeSchema, row.doc) : null;
  }

  /** The first exchange of a take with this address that was answered with a body; null where there is none. */
  async exchangeByUrl(takeId: string, url: string): Promise<Exchange | null> {
    const rows = await this.database
      .select()
      .from(tables.exchanges)
      .where(and(eq(tables.exchanges.takeId, takeId), sql`${tables.exchanges.doc}->>'url' = ${url}`))
      .orderBy(asc(tables.exchanges.n));
    return (
      this.damage
        .all('exchange', rows, exchangeId, StoredExchangeSchema)
        .find((exchange) => exchange.kind === 'request' && exchange.response?.body) ?? null
    );
  }

  /** A take with all that computing needs; null where there is none. */
  async loadTake(id: string): Promise<StoredTake | null> {
    const take = await this.take(id);
    if (!take) return null;
    const exchanges = await this.exchanges(id);
    const hashes = exchanges
      .flatMap((exchange) => [sentBody(exchange)?.hash, answerBody(exchange)?.hash])
      .filter((hash) => hash !== undefined);
    const bodies = await this.bodyTexts(hashes);
    const bytes: StoredTake['bytes'] = {};
    for (const sent of exchanges.map(sentBody))
      if (sent?.mimeType.startsWith('multipart/') && bodies[sent.hash]?.includes('\uFFFD'))
        bytes[sent.hash] = (await this.body(sent.hash))?.bytes ?? new Uint8Array();
    return { take, exchanges, bodies, bytes };
  }

  /** Stores bytes under their SHA-256; what is there already is not stored again. */
  async putBody(bytes: Uint8Array, mimeType: string): Promise<BodyRef> {
    const { stored, ref } = storedBody(bytes, mimeType);
    await this.putBodies([stored]);
    return ref;
  }

  async putBodies(given: StoredBody[]): Promise<void> {
    for (let at = 0; at < given.length; at += 100)
      await this.database
        .insert(tables.bodies)
        .values(
          given.slice(at, at + 100).map(({ hash, bytes, mimeType }) => ({ hash, size: bytes.length, mimeType, packed: gzipSync(bytes) })),
        )
        .onConflictDoNothing();
  }

  async body(hash: string): Promise<{ bytes: Uint8Array; mimeType: string } | null> {
    const [row] = await this.database.select().from(tables.bodies).where(eq(tables.bodies.hash, hash));
    return row ? { bytes: gunzipSync(row.packed), mimeType: row.mimeType } : null;
  }

  /** Texts of bodies by hash; binary ones are left out. */
  async bodyTexts(hashes: string[]): Promise<Record<string, string>> {
    const found: Record<string, string> = {};
    const unique = [...new Set(hashes)];
    for (let at = 0; at < unique.length; at += 500) {
      const rows = await this.database
        .select()
        .from(tables.bodies)
        .where(inArray(tables.bodies.hash, unique.slice(at, at + 500)));
      for (const row of rows)
        if (!/^(image|font|audio|video)\//.test(row.mimeType)) found[row.hash] = gunzipSync(row.packed).toString('utf8');
    }
    return found;
  }

  /** A project's own patterns, and those of the shipped ones that it changed, by their names. */
  async ownPatterns(projectId: string): Promise<HandoffPattern[]> {
    const rows = await this.database.select().from(tables.handoffPatterns).where(eq(tables.handoffPatterns.projectId, projectId));
    return this.damage
      .all('pattern', rows, (row) => `${projectId}/${row.id}`, HandoffPatternSchema)
      .sort((left, right) => left.name.localeCompare(right.name));
  }

  async savePatterns(projectId: string, docs: HandoffPattern[]): Promise<void> {
    await this.database.transaction(async (change) => {
      for (const doc of docs)
        await change
          .insert(tables.handoffPatterns)
          .values({ projectId, id: doc.id, doc })
          .onConflictDoUpdate({ target: [tables.handoffPatterns.projectId, tables.handoffPatterns.id], set: { doc } });
    });
  }

  async deletePattern(projectId: string, id: string): Promise<void> {
    await this.database
      .delete(tables.handoffPatterns)
      .where(and(eq(tables.handoffPatterns.projectId, projectId), eq(tables.handoffPatterns.id, id)));
  }

  /** Rehearsals of a script as it is, newest first; `most` of them where it is given. */
  async rehearsals(scriptId: string, most?: number): Promise<Rehearsal[]> {
    return this.#rehearsals(scriptId, sql`${tables.rehearsals.doc}->'trial' is null`, most);
  }

  /** Rehearsals in which something else was tried at a place than what the script sends, newest first. */
  async trialRehearsals(scriptId: string): Promise<Rehearsal[]> {
    return this.#rehearsals(scriptId, sql`${tables.rehearsals.doc}->'trial' is not null`);
  }

  async #rehearsals(scriptId: string, isWanted: SQL, most?: number): Promise<Rehearsal[]> {
    const found = this.database
      .select()
      .from(tables.rehearsals)
      .where(and(eq(tables.rehearsals.scriptId, scriptId), isWanted))
      .orderBy(desc(tables.rehearsals.number));
    const rows = await (most === undefined ? found : found.limit(most));
    return this.damage.all('rehearsal', rows, (row) => row.id, RehearsalSchema);
  }

  /** The highest number that a rehearsal of a script has, of whatever kind; 0 where there is none. */
  async lastRehearsalNumber(scriptId: string): Promise<number> {
    const [row] = await this.database
      .select({ number: sql<number>`coalesce(max(${tables.rehearsals.number}), 0)::int` })
      .from(tables.rehearsals)
      .where(eq(tables.rehearsals.scriptId, scriptId));
    return row?.number ?? 0;
  }

  async rehearsal(id: string): Promise<Rehearsal | null> {
    const [row] = await this.database.select().from(tables.rehearsals).where(eq(tables.rehearsals.id, id));
    return row ? this.damage.read('rehearsal', id, RehearsalSchema, row.doc) : null;
  }

  async saveRehearsal(doc: Rehearsal): Promise<void> {
    await this.database
      .insert(tables.rehearsals)
      .values({ id: doc.id, scriptId: doc.scriptId, number: doc.number, doc })
      .onConflictDoUpdate({ target: tables.rehearsals.id, set: { doc } });
  }

  async runs(projectId: string): Promise<Run[]> {
    const rows = await this.database
      .select()
      .from(tables.runs)
      .where(eq(tables.runs.projectId, projectId))
      .orderBy(desc(tables.runs.number));
    return this.damage.all('run', rows, (row) => row.id, RunSchema);
  }

  async run(id: string): Promise<Run | null> {
    const [row] = await this.database.select().from(tables.runs).where(eq(tables.runs.id, id));
    return row ? this.damage.read('run', id, RunSchema, row.doc) : null;
  }

  async saveRun(doc: Run): Promise<void> {
    await this.database
      .insert(tables.runs)
      .values({ id: doc.id, projectId: doc.projectId, number: doc.number, doc })
      .onConflictDoUpdate({ target: tables.runs.id, set: { doc } });
  }

  async saveFrames(runId: string, docs: Frame[]): Promise<void> {
    if (docs.length === 0) return;
    await this.database
      .insert(tables.frames)
      .values(docs.map((doc) => ({ runId, generator: doc.generator, second: doc.second, doc })))
      .onConflictDoNothing();
  }

  async frames(runId: string): Promise<Frame[]> {
    const rows = await this.database.select().from(tables.frames).where(eq(tables.frames.runId, runId)).orderBy(asc(tables.frames.second));
    return rows.flatMap((row) => FrameSchema.safeParse(row.doc).data ?? []);
  }

  async saveHostPoints(runId: string, docs: HostPoint[]): Promise<void> {
    if (docs.length === 0) return;
    await this.database
      .insert(tables.hostPoints)
      .values(docs.map((doc) => ({ runId, watch: doc.watch, second: doc.second, doc })))
      .onConflictDoNothing();
  }

  async hostPoints(runId: string): Promise<HostPoint[]> {
    const rows = await this.database
      .select()
      .from(tables.hostPoints)
      .where(eq(tables.hostPoints.runId, runId))
      .orderBy(asc(tables.hostPoints.second));
    return rows.flatMap((row) => HostPointSchema.safeParse(row.doc).data ?? []);
  }
}
