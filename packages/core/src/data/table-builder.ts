import { KindFinder, type ColumnKind } from './column-kinds.js';
import type { CsvRecord } from './csv-reader.js';

/** A problem of one line of a file. */
export interface CsvProblem {
  line: number;
  text: string;
}

/**
 * What becomes of rows with too many or too few fields: `skip` leaves them out, `fix` fills what is missing with nothing and drops what is
 * too much, `stop` brings nothing in. All are listed.
 */
export type RaggedRows = 'skip' | 'fix' | 'stop';

/** What was found out about a table while it was read. */
export interface TableFindings {
  columns: string[];
  kinds: ColumnKind[];
  /** False where the first record was taken for a row, so that columns were given numbers. */
  hasHeader: boolean;
  /** Lines that do not fit, each with its reason, the first of them. */
  problems: CsvProblem[];
  problemCount: number;
}

/** How a table is read; `header` says whether the first record names the columns, or gives their names. */
export interface TableOptions {
  ragged: RaggedRows;
  header?: boolean | readonly string[];
  /** What a record is called in sentences. */
  what?: 'line' | 'entry' | 'row';
}

/** So many records below the first are looked at to see whether it names the columns. */
const lookedAt = 50;
const mostProblems = 200;
/** Far more than a script sends; what has more is no table of test data, and each column costs in every row. */
export const mostColumns = 1000;

/** Makes rows of records as they come: names of columns, what does not fit, and what kind of values each column holds. */
export class TableBuilder {
  #columns: string[] | null = null;
  #hasHeader = true;
  #kinds: KindFinder[] = [];
  #held: CsvRecord[] = [];
  #problemCount = 0;
  readonly #problems: CsvProblem[] = [];

  constructor(readonly options: TableOptions) {
    if (Array.isArray(options.header)) this.#name(options.header as string[]);
  }

  /** The rows that these records make; the first ones are held back until it is known whether they name the columns. */
  take(records: readonly CsvRecord[]): string[][] {
    if (this.#columns) return this.#rows(records);
    this.#held = this.#held.concat(records);
    return this.#held.length > lookedAt || this.options.header !== undefined ? this.#begin() : [];
  }

  /** The rows that were still held. */
  flush(): string[][] {
    return this.#columns ? [] : this.#begin();
  }

  /** Throws a sentence where lines do not fit and that was to stop it, or where nothing was read. */
  findings(): TableFindings {
    const what = this.options.what ?? 'line';
    const [first] = this.#problems;
    if (!this.#columns) throw new Error('The file is empty. The first line must name the columns.');
    if (this.options.ragged === 'stop' && first)
      throw new Error(
        `${this.#problemCount} ${this.#problemCount === 1 ? `${what} does` : `${what}s do`} not fit; the first is ${what} ${first.line}, which ${first.text}. Nothing was imported.`,
      );
    return {
      columns: this.#columns,
      kinds: this.#kinds.map((kind) => kind.kind),
      hasHeader: this.#hasHeader,
      problems: this.#problems,
      problemCount: this.#problemCount,
    };
  }

  #begin(): string[][] {
    const [first, ...rest] = this.#held;
    this.#held = [];
    if (!first) return [];
    this.#hasHeader = this.options.header === undefined ? namesColumns(first, rest) : this.options.header !== false;
    this.#name(this.#hasHeader ? first.fields : first.fields.map(() => ''));
    return this.#rows(this.#hasHeader ? rest : [first, ...rest]);
  }

  /** Columns without a name get a number. Throws where two have the same name. */
  #name(header: readonly string[]): void {
    const columns = header.map((name, index) => name.trim() || `column ${index + 1}`);
    if (columns.length > mostColumns)
      throw new Error(
        `The table has ${columns.length.toLocaleString('en')} columns, and at most ${mostColumns.toLocaleString('en')} are taken. Leave out the columns that no script needs, then import it again.`,
      );
    const seen = new Set<string>();
    const twice = columns.find((name) => seen.has(name) || !seen.add(name));
    if (twice !== undefined)
      throw new Error(
        `Two columns are called “${twice}” in ${this.options.what ?? 'line'} 1. Give each column its own name, then import it again.`,
      );
    this.#columns = columns;
    this.#kinds = columns.map(() => new KindFinder());
  }

  #rows(records: readonly CsvRecord[]): string[][] {
    const width = this.#columns?.length ?? 0;
    const rows: string[][] = [];
    for (const { line, fields } of records) {
      let row = fields;
      if (fields.length !== width) {
        this.#problemCount++;
        if (this.#problems.length < mostProblems) this.#problems.push({ line, text: `has ${fields.length} fields instead of ${width}` });
        if (this.options.ragged !== 'fix') continue;
        row = Array.from({ length: width }, (_, index) => fields[index] ?? '');
      }
      for (const [at, kind] of this.#kinds.entries()) kind.take(row[at] ?? '');
      rows.push(row);
    }
    return rows;
  }
}

/** What a field looks like: its digits and letters each as one sign. */
const looks = (field: string): string => field.trim().replace(/\d/g, '9').replace(/\p{L}/gu, 'a');

/** True where a first line names columns: it holds no number, and nothing in it looks as what stands in the rows below it does. */
function namesColumns({ fields: first }: CsvRecord, rows: readonly CsvRecord[]): boolean {
  return first.every((field, at) => {
    if (/^-?[\d.,]*\d[\d.,]*$/.test(field.trim())) return false;
    const alike = rows.filter((row) => looks(row.fields[at] ?? '') === looks(field)).length;
    return !/\d/.test(field) || rows.length === 0 || alike < rows.length / 2;
  });
}
