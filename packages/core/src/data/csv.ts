import { parse } from 'csv-parse/sync';

/** A problem of one line of a CSV file. */
export interface CsvProblem {
  line: number;
  text: string;
}

export interface CsvTable {
  columns: string[];
  rows: string[][];
  delimiter: string;
  /** Lines that were left out, each with its reason. */
  problems: CsvProblem[];
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

/**
 * Reads a CSV file after RFC 4180 with a header line. Lines with too many or too few fields are left out and listed.
 * Throws an error with the line where the file cannot be read at all (an open quote).
 */
export function readCsv(text: string): CsvTable {
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
  const [header, ...body] = records;
  if (!header) throw new Error('The file is empty. The first line must name the columns.');
  const columns = header.record.map((name, index) => name.trim() || `column ${index + 1}`);
  const twice = columns.find((name, index) => columns.indexOf(name) !== index);
  if (twice !== undefined)
    throw new Error(`Two columns are called “${twice}” in line 1. Give each column its own name, then import it again.`);
  const rows: string[][] = [];
  const problems: CsvProblem[] = [];
  for (const { record, info } of body) {
    if (record.length === columns.length) rows.push(record);
    else problems.push({ line: info.lines, text: `has ${record.length} fields instead of ${columns.length}` });
  }
  return { columns, rows, delimiter, problems };
}
