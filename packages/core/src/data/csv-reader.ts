import { parse } from 'csv-parse/sync';

/** A record of a file with the line (from 1) on which it ends. */
export interface CsvRecord {
  line: number;
  fields: string[];
}

/**
 * Reads CSV (RFC 4180) piece by piece, so that a large file never stands in memory as records. Pieces may end anywhere; what is cut off is
 * kept until the rest has come.
 */
export class CsvReader {
  #pending = '';
  #lines = 0;

  constructor(readonly delimiter: string) {}

  /** The records that are complete. Throws a sentence with the line where an open quote or the like makes the file unreadable. */
  write(text: string): CsvRecord[] {
    this.#pending += text;
    const end = lastRecordEnd(this.#pending, this.delimiter);
    if (end === 0) {
      if (this.#pending.length > longestRecord)
        throw new Error(
          `The record that begins at line ${this.#lines + 1} does not end within 16 MB. Close its quote, then import it again.`,
        );
      return [];
    }
    const whole = this.#pending.slice(0, end);
    this.#pending = this.#pending.slice(end);
    return this.#records(whole);
  }

  /** The records that were left at the end of the file. */
  end(): CsvRecord[] {
    const rest = this.#pending;
    this.#pending = '';
    return rest.trim() === '' ? [] : this.#records(rest);
  }

  #records(text: string): CsvRecord[] {
    let read: { record: string[]; info: { lines: number } }[];
    try {
      read = parse(text, {
        delimiter: this.delimiter,
        relax_column_count: true,
        // A quote within a field that none opened is a sign like others, as in 37°36'37.8" N.
        relax_quotes: true,
        skip_empty_lines: true,
        info: true,
      }) as unknown as typeof read;
    } catch (error) {
      const at = (error as { lines?: number }).lines;
      throw new Error(
        `The file cannot be read as CSV${at === undefined ? '' : ` at line ${this.#lines + at}`}: ${error instanceof Error ? error.message : 'unknown reason'}. Close the quote, then import it again.`,
        { cause: error },
      );
    }
    const before = this.#lines;
    for (let at = text.indexOf('\n'); at >= 0; at = text.indexOf('\n', at + 1)) this.#lines++;
    return read.map(({ record, info }) => ({ line: before + info.lines, fields: record }));
  }
}

/** A record that is longer than this many signs is taken for one whose quote was never closed. */
const longestRecord = 16 << 20;

/**
 * Behind the last line end that stands in no quotes; 0 where there is none. A quote opens at the beginning of a field only (rule 5), and within
 * quotes one is written twice (rule 7).
 */
function lastRecordEnd(text: string, delimiter: string): number {
  let last = 0;
  let isQuoted = false;
  let isFieldStart = true;
  for (let at = 0; at < text.length; at++) {
    const sign = text[at];
    if (isQuoted) {
      if (sign !== '"') continue;
      if (text[at + 1] === '"') at++;
      else isQuoted = false;
    } else if (sign === '"' && isFieldStart) isQuoted = true;
    else if (sign === '\n') last = at + 1;
    isFieldStart = sign === delimiter || sign === '\n';
  }
  return last;
}
