import { createReadStream } from 'node:fs';
import { open, readFile, stat } from 'node:fs/promises';
import {
  CsvReader,
  cutText,
  decodeText,
  detectDelimiter,
  encodingAtStart,
  readJsonTable,
  TableBuilder,
  tableOf,
  TextReader,
  Utf8Check,
  type TableFindings,
  type TableOptions,
  type TextEncoding,
} from '@sturdy/core';
import { unzipSync } from 'fflate';
import { readSheet } from 'read-excel-file/node';

/** What was found out about a file and the table in it. */
export interface ReadTable extends TableFindings {
  rowCount: number;
  /** The file in a few words, such as “CSV, delimiter ;, Windows-1252”. */
  read: string;
}

/** A sheet that is larger than this once it is unpacked is not opened. */
const largestUnpacked = 200 * 1024 * 1024;
/** JSON is read as a whole, so a file of it may be no larger than this. */
const largestJson = 200 * 1024 * 1024;
/** Rows that are handed on at once. */
export const batchRows = 5000;
const pieceBytes = 1 << 20;
const startBytes = 64 << 10;

/**
 * Reads a table: CSV and what spreadsheets paste, JSON, or a sheet (Office Open XML). Rows are handed on in batches as they come, so that a
 * long CSV file never stands in memory. Throws a sentence where it is none of these.
 */
export async function readTableFile(file: string, options: TableOptions, rows: (batch: string[][]) => Promise<void>): Promise<ReadTable> {
  const { size } = await stat(file);
  if (size === 0) throw new Error('The file is empty.');
  const start = await startOf(file);
  // A ZIP archive starts with a local file header (APPNOTE.TXT, 4.3.7).
  if (start[0] === 0x50 && start[1] === 0x4b && start[2] === 3 && start[3] === 4)
    return readSpreadsheet(await readFile(file), options, rows);
  const encoding = encodingAtStart(start) ?? (await utf8Or1252(file));
  const beginning = new TextReader(encoding).write(start);
  if (/^\s*[[{]/.test(beginning)) {
    if (size > largestJson) throw new Error('JSON of more than 200 MB is not read at once. Write it as CSV, or in parts, and import that.');
    const { text } = decodeText(await readFile(file));
    return inBatches(readJsonTable(text, options.ragged), `JSON, ${encoding}`, rows);
  }
  return readLines(file, beginning, encoding, options, rows);
}

async function startOf(file: string): Promise<Uint8Array> {
  const handle = await open(file);
  try {
    const buffer = new Uint8Array(startBytes);
    const { bytesRead } = await handle.read(buffer, 0, startBytes, 0);
    return buffer.subarray(0, bytesRead);
  } finally {
    await handle.close();
  }
}

async function utf8Or1252(file: string): Promise<TextEncoding> {
  const check = new Utf8Check();
  for await (const piece of createReadStream(file, { highWaterMark: pieceBytes })) if (!check.take(piece as Buffer)) return 'Windows-1252';
  return check.end() ? 'UTF-8' : 'Windows-1252';
}

async function readLines(
  file: string,
  beginning: string,
  encoding: TextEncoding,
  options: TableOptions,
  rows: (batch: string[][]) => Promise<void>,
): Promise<ReadTable> {
  const delimiter = detectDelimiter(beginning);
  const reader = new CsvReader(delimiter);
  const text = new TextReader(encoding);
  const builder = new TableBuilder(options);
  let rowCount = 0;
  let held: string[][] = [];
  const give = async (more: readonly string[][], least: number): Promise<void> => {
    for (const row of more) held.push(row);
    while (held.length >= least && held.length > 0) {
      const batch = held.slice(0, batchRows);
      held = held.slice(batchRows);
      rowCount += batch.length;
      await rows(batch);
    }
  };
  for await (const piece of createReadStream(file, { highWaterMark: pieceBytes }))
    await give(builder.take(reader.write(text.write(piece as Buffer))), batchRows);
  await give(builder.take([...reader.write(text.end()), ...reader.end()]), batchRows);
  await give(builder.flush(), 1);
  const findings = builder.findings();
  const names = findings.hasHeader ? 'first line names the columns' : 'no line names the columns';
  return { ...findings, rowCount, read: `CSV, delimiter ${delimiter === '\t' ? 'tab' : delimiter}, ${names}, ${encoding}` };
}

async function inBatches(
  { rows, ...findings }: TableFindings & { rows: string[][] },
  read: string,
  give: (batch: string[][]) => Promise<void>,
): Promise<ReadTable> {
  for (let at = 0; at < rows.length; at += batchRows) await give(rows.slice(at, at + batchRows));
  return { ...findings, rowCount: rows.length, read };
}

async function readSpreadsheet(bytes: Uint8Array, options: TableOptions, rows: (batch: string[][]) => Promise<void>): Promise<ReadTable> {
  mustUnpackSmall(bytes);
  mustLieInSheet(bytes);
  let cells: unknown[][];
  try {
    cells = await readSheet(Buffer.from(bytes));
  } catch (error) {
    throw new Error(
      `This is an archive, but no sheet that can be read: ${error instanceof Error ? error.message : String(error)}. Save it as .xlsx or CSV.`,
      {
        cause: error,
      },
    );
  }
  const [header, ...body] = cells.map((row) => row.map(cellText));
  if (!header) throw new Error('The first sheet is empty.');
  const table = tableOf(
    body.map((fields, at) => ({ line: at + 2, fields })).filter(({ fields }) => fields.some((field) => field !== '')),
    { ...options, header, what: 'row' },
  );
  return inBatches(table, 'sheet (.xlsx), its first row names the columns', rows);
}

/** Refuses an archive that would unpack to more than is taken, by what it says of itself, before anything is unpacked. */
function mustUnpackSmall(bytes: Uint8Array): void {
  let total = 0;
  unzipSync(bytes, {
    filter: ({ originalSize, size }) => {
      total += originalSize;
      // What says it grows a thousandfold is made to harm.
      if (total > largestUnpacked || (size > 0 && originalSize / size > 1000 && originalSize > 10 * 1024 * 1024))
        throw new Error(
          `The archive would unpack to more than ${largestUnpacked / 1024 / 1024} MB. Save the sheet as CSV, or in parts, and import that.`,
        );
      return false;
    },
  });
}

/** The last column (XFD) and row of a sheet; common practice of programs that read Office Open XML, ECMA-376 names no limit. */
const lastColumn = 16_384;
const lastRow = 1_048_576;
/** A sheet is laid out as a whole, so it may have no more cells than this, empty ones included. */
const mostCells = 20_000_000;

/** Refuses a sheet with a cell that lies where no sheet has one, or so far out that laying it out would take all memory. */
function mustLieInSheet(bytes: Uint8Array): void {
  const sheets = unzipSync(bytes, { filter: ({ name }) => /^xl\/worksheets\/[^/]+\.xml$/i.test(name) });
  for (const [name, xml] of Object.entries(sheets)) {
    let [columns, rows] = [0, 0];
    for (const [, letters = '', digits = ''] of new TextDecoder().decode(xml).matchAll(/\sr\s*=\s*["']\$?([A-Za-z]*)\$?(\d*)["']/g)) {
      const column = Array.from(letters.toUpperCase()).reduce((sum, letter) => 26 * sum + letter.charCodeAt(0) - 64, 0);
      if (column > lastColumn || Number(digits) > lastRow)
        throw new Error(
          `${name} has a cell at ${cutText(letters + digits, 24)}, outside of every sheet (the last is XFD1048576). Save the file anew, or as CSV.`,
        );
      columns = Math.max(columns, column);
      rows = Math.max(rows, Number(digits));
    }
    if (columns * rows > mostCells)
      throw new Error(
        `${name} reaches over ${columns} columns and ${rows} rows, which is more than ${mostCells / 1_000_000} million cells. Delete what stands far out, or save it as CSV.`,
      );
  }
}

function cellText(cell: unknown): string {
  if (cell === null || cell === undefined) return '';
  if (cell instanceof Date) return cell.toISOString().replace(/T00:00:00\.000Z$/, '');
  return typeof cell === 'string' ? cell : typeof cell === 'number' || typeof cell === 'boolean' ? String(cell) : JSON.stringify(cell);
}
