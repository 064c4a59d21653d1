import { parse } from 'csv-parse/sync';

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

/** A table of texts, however it was written. */
export interface TextTable {
  columns: string[];
  rows: string[][];
  /** Lines that do not fit, each with its reason. */
  problems: CsvProblem[];
}

export interface CsvTable extends TextTable {
  delimiter: string;
  /** False where the first line was taken for a row, so that columns were given numbers. */
  hasHeader: boolean;
}

/** A table of a header and rows; columns without a name get a number. Throws where two have the same name. */
export function tableOf(
  header: readonly string[],
  body: readonly { line: number; fields: readonly string[] }[],
  ragged: RaggedRows,
  what: 'line' | 'entry' | 'row' = 'line',
): TextTable {
  const columns = header.map((name, index) => name.trim() || `column ${index + 1}`);
  const twice = columns.find((name, index) => columns.indexOf(name) !== index);
  if (twice !== undefined)
    throw new Error(`Two columns are called “${twice}” in ${what} 1. Give each column its own name, then import it again.`);
  const rows: string[][] = [];
  const problems: CsvProblem[] = [];
  for (const { line, fields } of body) {
    if (fields.length === columns.length) rows.push([...fields]);
    else {
      problems.push({ line, text: `has ${fields.length} fields instead of ${columns.length}` });
      if (ragged === 'fix') rows.push(columns.map((_, index) => fields[index] ?? ''));
    }
  }
  const [first] = problems;
  if (ragged === 'stop' && first)
    throw new Error(
      `${problems.length} ${problems.length === 1 ? `${what} does` : `${what}s do`} not fit; the first is ${what} ${first.line}, which ${first.text}. Nothing was imported.`,
    );
  return { columns, rows, problems };
}

/** The delimiter that cuts the first lines into the same number of fields, most of them; a comma where none does. */
export function detectDelimiter(text: string): string {
  const lines = text.split(/\r?\n/, 20).filter(Boolean);
  let best = { delimiter: ',', score: 0 };
  for (const delimiter of [',', ';', '\t', '|']) {
    const counts = lines.map((line) => line.replace(/"(?:[^"]|"")*"/g, '').split(delimiter).length - 1);
    const usual = counts[0] ?? 0;
    const score = usual * counts.filter((one) => one === usual).length;
    if (score > best.score) best = { delimiter, score };
  }
  return best.delimiter;
}

/** What a field looks like: its digits and letters each as one sign. */
const looks = (field: string): string => field.trim().replace(/\d/g, '9').replace(/\p{L}/gu, 'a');

/** True where a first line names columns: it holds no number, and nothing in it looks as what stands in the rows below it does. */
function namesColumns(first: readonly string[], rows: readonly (readonly string[])[]): boolean {
  return first.every((field, at) => {
    if (/^-?[\d.,]*\d[\d.,]*$/.test(field.trim())) return false;
    const alike = rows.filter((row) => looks(row[at] ?? '') === looks(field)).length;
    return !/\d/.test(field) || rows.length === 0 || alike < rows.length / 2;
  });
}

/**
 * Reads a CSV file after RFC 4180. Whether its first line names the columns is found out where `header` does not say. Throws an error
 * with the line where the file cannot be read at all (an open quote).
 */
export function readCsv(text: string, options: { ragged?: RaggedRows; header?: boolean } = {}): CsvTable {
  const plain = text.replace(/^\uFEFF/, '');
  const delimiter = detectDelimiter(plain);
  let records: { record: string[]; info: { lines: number } }[];
  try {
    records = parse(plain, { delimiter, relax_column_count: true, skip_empty_lines: true, info: true }) as unknown as typeof records;
  } catch (error) {
    const at = (error as { lines?: number }).lines;
    throw new Error(
      `The file cannot be read as CSV${at === undefined ? '' : ` at line ${at}`}: ${error instanceof Error ? error.message : 'unknown reason'}. Close the quote, then import it again.`,
      { cause: error },
    );
  }
  const [first, ...rest] = records;
  if (!first) throw new Error('The file is empty. The first line must name the columns.');
  const hasHeader =
    options.header ??
    namesColumns(
      first.record,
      rest.slice(0, 50).map((one) => one.record),
    );
  const body = (hasHeader ? rest : records).map(({ record, info }) => ({ line: info.lines, fields: record }));
  return { ...tableOf(hasHeader ? first.record : first.record.map(() => ''), body, options.ragged ?? 'skip'), delimiter, hasHeader };
}
