import * as z from 'zod';
import { base64ToBytes, bytesToBase64 } from '../bytes.js';

/** The columns of a batch of samples, in the order in which they stand in its bytes; all little-endian. */
const columns = [
  /** When the answer was complete, in tenths of a ms since the start of the run. */
  ['at', Uint32Array],
  ['durationMicros', Uint32Array],
  ['firstByteMicros', Uint32Array],
  ['bytesIn', Uint32Array],
  ['bytesOut', Uint32Array],
  ['user', Uint32Array],
  ['iteration', Uint32Array],
  /** Which of the names it was. */
  ['name', Uint16Array],
  /** Which kind of failure, 0 where it was good. */
  ['kind', Uint16Array],
  /** Status of the answer, 0 where there was none. */
  ['status', Uint16Array],
] as const;
type Column = (typeof columns)[number][0];
/** Samples of requests by columns of the same length. */
export type SampleColumns = Record<Column, Uint32Array | Uint16Array>;

/** Bytes of one sample in all its columns. */
export const bytesOfSample = columns.reduce((sum, [, type]) => sum + type.BYTES_PER_ELEMENT, 0);

/** What a sample is of. */
export const SampleNameSchema = z.object({ crew: z.string(), transaction: z.string(), step: z.string() });
export type SampleName = z.infer<typeof SampleNameSchema>;

/** Samples of one generator within about a second, with the names that they use: it can be read without any other. Plain data. */
export const SampleBatchSchema = z.object({
  version: z.literal(1),
  count: z.number().int(),
  names: z.array(SampleNameSchema),
  /** Kinds of failures, the first of them kind 1. */
  kinds: z.array(z.string()),
  /** The columns one after another, base64. */
  data: z.string(),
});
export type SampleBatch = z.infer<typeof SampleBatchSchema>;

/** One request as it was measured. Times in ms. */
export const SampleSchema = SampleNameSchema.extend({
  atMs: z.number(),
  durationMs: z.number(),
  firstByteMs: z.number(),
  bytesIn: z.number(),
  bytesOut: z.number(),
  user: z.number().int(),
  iteration: z.number().int(),
  /** Status of the answer; null where there was none, or where answers of that kind carry none. */
  status: z.number().int().nullable(),
  /** Kind of its failure: its code, and its subject behind a colon (`core/src/failure`); null where it was good. */
  failure: z.string().nullable(),
});
export type Sample = z.infer<typeof SampleSchema>;

const emptyColumns = (length: number): SampleColumns =>
  Object.fromEntries(columns.map(([name, type]) => [name, new type(length)])) as SampleColumns;

/** The columns in one piece of bytes. */
export function columnBytes(sampleColumns: SampleColumns, count: number): Uint8Array {
  const bytes = new Uint8Array(count * bytesOfSample);
  let at = 0;
  for (const [name] of columns) {
    const column = sampleColumns[name].subarray(0, count);
    bytes.set(new Uint8Array(column.buffer, column.byteOffset, column.byteLength), at);
    at += column.byteLength;
  }
  return bytes;
}

/** Columns out of bytes. Throws where the bytes are not of so many samples. */
export function readColumns(bytes: Uint8Array, count: number): SampleColumns {
  if (bytes.byteLength !== count * bytesOfSample)
    throw new RangeError(`${count} samples have ${count * bytesOfSample} bytes, not ${bytes.byteLength}.`);
  const sampleColumns = emptyColumns(count);
  let at = 0;
  for (const [name] of columns) {
    const column = sampleColumns[name];
    new Uint8Array(column.buffer).set(bytes.subarray(at, at + column.byteLength));
    at += column.byteLength;
  }
  return sampleColumns;
}

/** Collects samples until they are taken out as a batch. */
export class SampleBook {
  #columns = emptyColumns(256);
  #count = 0;
  readonly #names = new Map<string, number>();
  readonly #kinds = new Map<string, number>();
  #nameList: SampleName[] = [];

  add({ crew, transaction, step, failure, ...figures }: Sample): void {
    if (this.#count === this.#columns.at.length) this.#grow();
    const at = this.#count++;
    const sampleColumns = this.#columns;
    sampleColumns.at[at] = Math.max(0, Math.round(figures.atMs * 10));
    sampleColumns.durationMicros[at] = Math.round(figures.durationMs * 1000);
    sampleColumns.firstByteMicros[at] = Math.round(figures.firstByteMs * 1000);
    sampleColumns.bytesIn[at] = figures.bytesIn;
    sampleColumns.bytesOut[at] = figures.bytesOut;
    sampleColumns.user[at] = figures.user;
    sampleColumns.iteration[at] = figures.iteration;
    sampleColumns.status[at] = figures.status ?? 0;
    const key = `${crew}\u0000${transaction}\u0000${step}`;
    let name = this.#names.get(key);
    if (name === undefined) {
      this.#names.set(key, (name = this.#nameList.length));
      this.#nameList.push({ crew, transaction, step });
    }
    sampleColumns.name[at] = name;
    let kind = 0;
    if (failure !== null) {
      kind = this.#kinds.get(failure) ?? this.#kinds.size + 1;
      this.#kinds.set(failure, kind);
    }
    sampleColumns.kind[at] = kind;
  }

  /** Takes out what was collected; null where there is nothing. */
  take(): SampleBatch | null {
    if (this.#count === 0) return null;
    const batch: SampleBatch = {
      version: 1,
      count: this.#count,
      names: this.#nameList,
      kinds: [...this.#kinds.keys()],
      data: bytesToBase64(columnBytes(this.#columns, this.#count)),
    };
    this.#count = 0;
    this.#names.clear();
    this.#kinds.clear();
    this.#nameList = [];
    return batch;
  }

  #grow(): void {
    const grown = emptyColumns(this.#columns.at.length * 2);
    for (const [name] of columns) grown[name].set(this.#columns[name]);
    this.#columns = grown;
  }
}

/**
 * Whether a sample stays where only every nth one is kept. Iterations stay or go whole, and what stays of every fourth stays of every
 * second, too (multiplicative hashing: Knuth, The Art of Computer Programming 3, 6.4).
 */
export const staysOf = (keepEvery: number, user: number, iteration: number): boolean =>
  keepEvery <= 1 || ((Math.imul(Math.imul(user, 0x9e3779b1) ^ iteration, 0x85ebca6b) >>> 0) >>> 8) % keepEvery === 0;

/** The samples of which `stays` is true. */
export function thinned(
  sampleColumns: SampleColumns,
  count: number,
  stays: (at: number) => boolean,
): { columns: SampleColumns; count: number } {
  const kept: number[] = [];
  for (let at = 0; at < count; at++) if (stays(at)) kept.push(at);
  const some = emptyColumns(kept.length);
  for (const [name] of columns) {
    const [from, to] = [sampleColumns[name], some[name]];
    for (const [place, at] of kept.entries()) to[place] = from[at] ?? 0;
  }
  return { columns: some, count: kept.length };
}

/** All samples of a run, put together from its batches. */
export class SampleTable {
  readonly names: SampleName[] = [];
  readonly kinds: string[] = [];
  readonly #nameIndex = new Map<string, number>();
  readonly #kindIndex = new Map<string, number>();
  #columns: SampleColumns;
  count = 0;

  /** Room for so many samples. */
  constructor(room: number) {
    this.#columns = emptyColumns(room);
  }

  get columns(): SampleColumns {
    return this.#columns;
  }

  /** Adds the samples of a batch that stay. */
  add(sampleColumns: SampleColumns, count: number, names: readonly SampleName[], kinds: readonly string[], keepEvery = 1): void {
    const nameOf = names.map((name) => {
      const key = `${name.crew}\u0000${name.transaction}\u0000${name.step}`;
      const known = this.#nameIndex.get(key);
      if (known !== undefined) return known;
      this.#nameIndex.set(key, this.names.length);
      return this.names.push(name) - 1;
    });
    const kindOf = kinds.map((kind) => {
      const known = this.#kindIndex.get(kind);
      if (known !== undefined) return known;
      this.#kindIndex.set(kind, this.kinds.length + 1);
      return this.kinds.push(kind);
    });
    const { user, iteration } = sampleColumns;
    const part =
      keepEvery > 1
        ? thinned(sampleColumns, count, (at) => staysOf(keepEvery, user[at] ?? 0, iteration[at] ?? 0))
        : { columns: sampleColumns, count };
    const from = this.count;
    for (const [name] of columns) this.#columns[name].set(part.columns[name].subarray(0, part.count), from);
    for (let at = from; at < from + part.count; at++) {
      this.#columns.name[at] = nameOf[this.#columns.name[at] ?? 0] ?? 0;
      const kind = this.#columns.kind[at] ?? 0;
      if (kind > 0) this.#columns.kind[at] = kindOf[kind - 1] ?? 0;
    }
    this.count += part.count;
  }

  /** One sample, by its place. */
  at(place: number): Sample {
    const sampleColumns = this.#columns;
    const name = this.names[sampleColumns.name[place] ?? 0] ?? { crew: '', transaction: '', step: '' };
    const kind = sampleColumns.kind[place] ?? 0;
    return {
      ...name,
      atMs: (sampleColumns.at[place] ?? 0) / 10,
      durationMs: (sampleColumns.durationMicros[place] ?? 0) / 1000,
      firstByteMs: (sampleColumns.firstByteMicros[place] ?? 0) / 1000,
      bytesIn: sampleColumns.bytesIn[place] ?? 0,
      bytesOut: sampleColumns.bytesOut[place] ?? 0,
      user: sampleColumns.user[place] ?? 0,
      iteration: sampleColumns.iteration[place] ?? 0,
      status: (sampleColumns.status[place] ?? 0) || null,
      failure: kind === 0 ? null : (this.kinds[kind - 1] ?? ''),
    };
  }
}

/** The columns of a batch. */
export const columnsOf = (batch: SampleBatch): SampleColumns => readColumns(base64ToBytes(batch.data), batch.count);
