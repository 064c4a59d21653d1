import {
  failureKind,
  Tally,
  type CapturedExchange,
  type Failure,
  type FailureReason,
  type Frame,
  type FrameItem,
  type PlayedRows,
} from '@sturdy/core';
import type { Traffic } from '../play/virtual-user.js';
import type { RowPlace } from './row-deals.js';

/** Examples captured for each kind of failure in a whole run. */
const examplesPerKind = 1;
/** Kinds of failure that are told apart in one run; the rest is counted together. */
const mostKinds = 200;

interface Bucket {
  items: Map<string, { crew: string; transaction: string; step: string | null; tally: Tally }>;
  failures: Map<string, Failure>;
  passed: number;
  failed: number;
  lateness: Tally;
  missed: number;
  /** Rows by crew and table. */
  dealt: Map<string, { crew: string; table: string; rows: number }>;
  playedRows: Map<string, PlayedRows>;
}

const newBucket = (): Bucket => ({
  items: new Map(),
  failures: new Map(),
  passed: 0,
  failed: 0,
  lateness: new Tally(),
  missed: 0,
  dealt: new Map(),
  playedRows: new Map(),
});

/** Collects the samples of a generator by the second in which they ended. */
export class Meter {
  readonly #buckets = new Map<number, Bucket>();
  readonly #kinds = new Map<string, number>();

  constructor(readonly secondNow: () => number) {}

  sample(crew: string, transaction: string, step: string | null, ms: number, good: boolean, traffic: Traffic): void {
    const { items } = this.#bucket();
    const key = `${crew}\u0000${transaction}\u0000${step ?? ''}`;
    let item = items.get(key);
    if (!item) items.set(key, (item = { crew, transaction, step, tally: new Tally() }));
    item.tally.add(ms, good, traffic.bytesIn, traffic.bytesOut, traffic.firstByteMs);
  }

  /** An iteration of a crew has ended; `ms` is what its transactions took together. */
  iteration(crew: string, good: boolean, ms: number, rows: readonly RowPlace[]): void {
    const bucket = this.#bucket();
    if (good) bucket.passed++;
    else bucket.failed++;
    for (const { table, row } of rows) {
      const key = `${crew}\u0000${table}`;
      let played = bucket.playedRows.get(key);
      if (!played) bucket.playedRows.set(key, (played = { crew, table, passed: [], passedMs: [], failed: [] }));
      if (good) {
        played.passed.push(row);
        played.passedMs.push(Math.round(ms));
      } else played.failed.push(row);
    }
  }

  late(ms: number): void {
    this.#bucket().lateness.add(ms, true);
  }

  /** An iteration was due and nobody was free to play it. */
  missed(): void {
    this.#bucket().missed++;
  }

  /** A user of a crew was dealt a row. */
  dealt(crew: string, table: string): void {
    const { dealt } = this.#bucket();
    const key = `${crew}\u0000${table}`;
    const known = dealt.get(key);
    if (known) known.rows++;
    else dealt.set(key, { crew, table, rows: 1 });
  }

  /** Counts a failure; `example` is asked for only where this kind has none yet. */
  failure(crew: string, transaction: string, step: string, reason: FailureReason, example: () => CapturedExchange | null): void {
    let key = `${crew}\u0000${step}\u0000${failureKind(reason)}`;
    let { code, subject } = reason;
    if (!this.#kinds.has(key) && this.#kinds.size >= mostKinds) {
      [code, subject] = ['many-kinds', ''];
      key = `${crew}\u0000${step}\u0000${code}`;
    }
    const known = this.#kinds.get(key) ?? 0;
    this.#kinds.set(key, known + 1);
    const { failures } = this.#bucket();
    const second = this.secondNow();
    const failure = failures.get(key);
    if (failure) {
      failure.count++;
      failure.lastSecond = second;
      return;
    }
    failures.set(key, {
      crew,
      transaction,
      step,
      code,
      subject,
      message: reason.text,
      count: 1,
      firstSecond: second,
      lastSecond: second,
      example: known < examplesPerKind ? example() : null,
    });
  }

  /** Takes out what was collected before `second`, oldest first; seconds without a sample are there too. */
  take(
    fromSecond: number,
    beforeSecond: number,
  ): Pick<
    Frame,
    | 'second'
    | 'items'
    | 'failures'
    | 'iterationsPassed'
    | 'iterationsFailed'
    | 'latenessMs'
    | 'lateness'
    | 'missedArrivals'
    | 'dealt'
    | 'playedRows'
  >[] {
    const taken = [];
    for (let second = fromSecond; second < beforeSecond; second++) {
      const bucket = this.#buckets.get(second) ?? newBucket();
      this.#buckets.delete(second);
      taken.push({
        second,
        items: [...bucket.items.values()].map(({ tally, ...item }): FrameItem => ({ ...item, tally: tally.toData() })),
        failures: [...bucket.failures.values()],
        iterationsPassed: bucket.passed,
        iterationsFailed: bucket.failed,
        latenessMs: bucket.lateness.max,
        ...(bucket.lateness.count === 0 ? {} : { lateness: bucket.lateness.toData() }),
        missedArrivals: bucket.missed,
        ...(bucket.dealt.size === 0 ? {} : { dealt: [...bucket.dealt.values()] }),
        ...(bucket.playedRows.size === 0 ? {} : { playedRows: [...bucket.playedRows.values()] }),
      });
    }
    return taken;
  }

  #bucket(): Bucket {
    const second = this.secondNow();
    let bucket = this.#buckets.get(second);
    if (!bucket) this.#buckets.set(second, (bucket = newBucket()));
    return bucket;
  }
}
