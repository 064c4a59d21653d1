import { JSONParser } from '@streamparser/json';
import type { Exchange, Mark, Take } from '../../take/take.schema.js';
import { HarReader, notHar, pageMarks, type BodyShelf } from './har.js';
import { readWholeTake } from './whole-take.js';

/** What is known once a file has been read to its end. */
export interface HarStreamEnd {
  startedAt: string;
  marks: Mark[];
  harLog: Record<string, unknown>;
  exchangeCount: number;
  problems: { entry: number; text: string }[];
  /** Exchanges were numbered and timed as they came; where these differ from the order of their starts, this puts them right. */
  renumber: { order: { from: number; to: number }[]; shiftMs: number } | null;
  /** The take as it was, where a file of a project says it; its exchanges have the numbers that they had. */
  whole: Omit<Take, 'projectId'> | null;
}

const mostProblems = 1000;

/**
 * Reads a HAR file piece by piece: each entry is handed on as soon as it is complete, so a file of any size needs the memory of
 * its largest entry. A file that ends in the middle gives what was complete, and a problem that says so.
 */
export class HarStream {
  readonly #parser: JSONParser;
  readonly #reader: HarReader;
  readonly #log: Record<string, unknown> = {};
  readonly #starts: number[] = [];
  readonly #problems: HarStreamEnd['problems'] = [];
  #entries = 0;
  #bytes = 0;
  #failure: string | null = null;

  constructor(
    readonly shelf: BodyShelf,
    readonly onExchange: (exchange: Exchange) => void,
  ) {
    this.#reader = new HarReader(shelf);
    this.#parser = new JSONParser({ paths: ['$.log.entries.*', '$.log.*'], keepStack: false });
    this.#parser.onValue = ({ value, key, parent, stack }) => {
      // An entry stands one level deeper than the fields of the log.
      if (stack.length === 3) {
        this.#entry(value);
        // The parser would keep all entries for the field that they stand in, which is asked for as well.
        if (Array.isArray(parent)) parent.length = 0;
      } else if (key !== 'entries' && typeof key === 'string') this.#log[key] = value;
    };
    this.#parser.onError = (error) => {
      this.#failure = error.message;
    };
  }

  /** Takes the next piece of the file. Throws where the file is no JSON from its beginning. */
  write(piece: Uint8Array): void {
    if (this.#failure !== null) return;
    // A byte order mark is no part of the document (RFC 8259, 8.1).
    const from = this.#bytes === 0 && piece[0] === 0xef && piece[1] === 0xbb && piece[2] === 0xbf ? 3 : 0;
    this.#bytes += piece.length;
    try {
      this.#parser.write(from > 0 ? piece.subarray(from) : piece);
    } catch (error) {
      this.#failure = error instanceof Error ? error.message : String(error);
    }
    if (this.#failure !== null && this.#entries === 0) throw new Error(`${notHar} (It is not valid JSON: ${this.#failure})`);
  }

  /** Throws where the file held no entries at all. */
  end(): HarStreamEnd {
    if (!this.#parser.isEnded || this.#failure !== null) {
      if (this.#entries === 0) throw new Error(notHar);
      this.#problem(
        this.#entries + 1,
        `the file ${this.#failure === null ? 'ends in the middle' : 'is broken'} after ${this.#entries} entries and ${this.#bytes.toLocaleString('en')} bytes; what came before is here`,
      );
    } else if (this.#entries === 0 && Object.keys(this.#log).length === 0) throw new Error(notHar);
    const whole = readWholeTake(this.#log, (bytes, mimeType) => this.shelf.put(bytes, mimeType));
    for (const message of whole?.messages ?? []) this.onExchange(message);
    const first = this.#starts.reduce((least, start) => Math.min(least, start), this.#starts[0] ?? 0);
    const order = this.#starts
      .map((startedMs, index) => ({ from: index + 1, startedMs }))
      .sort((left, right) => left.startedMs - right.startedMs || left.from - right.from)
      .map(({ from }, index) => ({ from, to: index + 1 }))
      .filter(({ from, to }) => from !== to);
    const shiftMs = this.#reader.zeroMs - first;
    return {
      startedAt: new Date(first).toISOString(),
      marks: pageMarks(this.#log, first),
      harLog: this.#log,
      exchangeCount: this.#starts.length,
      problems: this.#problems,
      renumber: whole === null && (order.length > 0 || shiftMs !== 0) ? { order, shiftMs } : null,
      whole: whole?.take ?? null,
    };
  }

  #entry(value: unknown): void {
    this.#entries++;
    const read = this.#reader.read(value);
    if ('problem' in read) {
      this.#problem(this.#entries, read.problem);
      return;
    }
    this.#starts.push(read.startedMs);
    this.onExchange(read.exchange);
  }

  #problem(entry: number, text: string): void {
    if (this.#problems.length < mostProblems) this.#problems.push({ entry, text });
  }
}
