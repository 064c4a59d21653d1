import { CsvReader, type CsvRecord } from './csv-reader.js';
import { TableBuilder, type TableFindings, type TableOptions } from './table-builder.js';

/** A table of texts, however it was written. */
export interface TextTable extends TableFindings {
  rows: string[][];
}

export interface CsvTable extends TextTable {
  delimiter: string;
}

/** A table of records that are all at hand. Throws a sentence where two columns have the same name, or a line does not fit that must. */
export function tableOf(records: readonly CsvRecord[], options: TableOptions): TextTable {
  const builder = new TableBuilder(options);
  const rows = [...builder.take(records), ...builder.flush()];
  return { ...builder.findings(), rows };
}

/** The delimiter that cuts the first lines into the same number of fields, most of them; a comma where none does. */
export function detectDelimiter(text: string): string {
  const lines = text.split(/\r?\n/, 20).filter(Boolean);
  let best = { delimiter: ',', score: 0 };
  for (const delimiter of [',', ';', '\t', '|']) {
    const counts = lines.map((line) => line.replace(/"(?:[^"]|"")*"/g, '').split(delimiter).length - 1);
    const usual = counts[0] ?? 0;
    const score = usual * counts.filter((count) => count === usual).length;
    if (score > best.score) best = { delimiter, score };
  }
  return best.delimiter;
}

/**
 * Reads a CSV file after RFC 4180. Whether its first line names the columns is found out where `header` does not say. Throws an error
 * with the line where the file cannot be read at all (an open quote).
 */
export function readCsv(text: string, options: Partial<TableOptions> = {}): CsvTable {
  const plain = text.replace(/^\uFEFF/, '');
  const delimiter = detectDelimiter(plain);
  const reader = new CsvReader(delimiter);
  return { ...tableOf([...reader.write(plain), ...reader.end()], { ragged: 'skip', ...options }), delimiter };
}
