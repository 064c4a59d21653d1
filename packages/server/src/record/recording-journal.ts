import { closeSync, existsSync, ftruncateSync, openSync, readdirSync, readFileSync, rmSync, writevSync } from 'node:fs';
import { join } from 'node:path';
import { StoredExchangeSchema, type Exchange } from '@sturdy/core';
import * as z from 'zod';
import { ownFolder } from '../store/own-folder.js';
import type { Store } from '../store/store-client.js';
import type { StoredBody } from '../store/stored-body.js';

const prefix = 'journal-';
const HeadSchema = z.object({
  exchange: StoredExchangeSchema,
  bodies: z.array(z.object({ hash: z.string(), mimeType: z.string(), size: z.number().int().nonnegative() })),
});
type Head = z.infer<typeof HeadSchema>;

interface JournalEntry {
  exchange: Exchange;
  bodies: StoredBody[];
}

const mostAtOnce = 200;
const bytesAtOnce = 16 << 20;

/** Bytes before each entry that say how long its head is (32 bits, big-endian). */
const lengthBytes = 4;

/**
 * What a recording has counted and the store has not written yet, in a file that outlives the process: each exchange is written before it is
 * counted, and the file is emptied once the store has everything. An entry is the length of its head, the head as JSON, and the bodies.
 */
export class RecordingJournal {
  readonly #file: string;
  #descriptor: number | null;

  /** Throws where the folder cannot be written. */
  constructor(folder: string, takeId: string) {
    ownFolder(folder);
    this.#file = join(folder, prefix + takeId);
    this.#descriptor = openSync(this.#file, 'a', 0o600);
  }

  /** Throws where the disk takes no more. */
  note(exchange: Exchange, bodies: readonly StoredBody[]): void {
    if (this.#descriptor === null) return;
    const head: Head = { exchange, bodies: bodies.map(({ hash, mimeType, bytes }) => ({ hash, mimeType, size: bytes.length })) };
    const text = Buffer.from(JSON.stringify(head));
    const length = Buffer.alloc(lengthBytes);
    length.writeUInt32BE(text.length);
    let left = [length, text, ...bodies.map(({ bytes }) => Buffer.from(bytes.buffer, bytes.byteOffset, bytes.byteLength))];
    while (left.length > 0) left = afterBytes(left, writevSync(this.#descriptor, left));
  }

  /** Empties it: the store has everything that was counted. */
  clear(): void {
    if (this.#descriptor !== null) ftruncateSync(this.#descriptor);
  }

  /** Takes the file away; the recording has ended. */
  close(): void {
    if (this.#descriptor === null) return;
    closeSync(this.#descriptor);
    this.#descriptor = null;
    rmSync(this.#file, { force: true });
  }
}

/** What is left of buffers once so many bytes of them were written. */
function afterBytes(buffers: readonly Buffer[], written: number): Buffer[] {
  const left: Buffer[] = [];
  let skipped = written;
  for (const buffer of buffers) {
    if (skipped < buffer.length) left.push(buffer.subarray(skipped));
    skipped = Math.max(0, skipped - buffer.length);
  }
  return left;
}

/** The entries of a journal up to the one that a crash cut off. */
function* entriesOf(bytes: Buffer): Generator<JournalEntry> {
  for (let at = 0; at + lengthBytes <= bytes.length;) {
    const bodiesAt = at + lengthBytes + bytes.readUInt32BE(at);
    const read = HeadSchema.safeParse(asJson(bytes.toString('utf8', at + lengthBytes, bodiesAt)));
    if (!read.success) return;
    let end = bodiesAt;
    const bodies = read.data.bodies.map(({ hash, mimeType, size }) => ({ hash, mimeType, bytes: bytes.subarray(end, (end += size)) }));
    if (end > bytes.length) return;
    yield { exchange: read.data.exchange, bodies };
    at = end;
  }
}

/** Entries put together, so that the store is not asked for each; the bodies of a batch are of bounded size. */
function* batchesOf(entries: Iterable<JournalEntry>): Generator<JournalEntry[]> {
  let batch: JournalEntry[] = [];
  let bytes = 0;
  for (const entry of entries) {
    batch.push(entry);
    bytes += entry.bodies.reduce((sum, body) => sum + body.bytes.length, 0);
    if (batch.length < mostAtOnce && bytes < bytesAtOnce) continue;
    yield batch;
    batch = [];
    bytes = 0;
  }
  if (batch.length > 0) yield batch;
}

function asJson(text: string): unknown {
  try {
    return JSON.parse(text) as unknown;
  } catch {
    return undefined;
  }
}

/**
 * Stores what recordings had counted when the process was ended, and takes their journals away. Called before the takes are closed. Gives how
 * many exchanges were brought in.
 */
export async function recoverJournals(folder: string, store: Pick<Store, 'take' | 'putBodies' | 'saveExchanges'>): Promise<number> {
  if (!existsSync(folder)) return 0;
  let count = 0;
  for (const name of readdirSync(folder).filter((fileName) => fileName.startsWith(prefix))) {
    const file = join(folder, name);
    const takeId = name.slice(prefix.length);
    // A take that was deleted meanwhile stays deleted.
    if (await store.take(takeId))
      for (const batch of batchesOf(entriesOf(readFileSync(file)))) {
        await store.putBodies(batch.flatMap((entry) => entry.bodies));
        // Of an exchange that had grown meanwhile the last state counts.
        const last = new Map(batch.map(({ exchange }) => [exchange.n, exchange]));
        await store.saveExchanges(takeId, [...last.values()]);
        count += last.size;
      }
    rmSync(file, { force: true });
  }
  return count;
}
