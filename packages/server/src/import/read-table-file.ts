import { decodeText, readCsv, readJsonTable, tableOf, type RaggedRows, type TextTable } from '@sturdy/core';
import { unzipSync } from 'fflate';
import { readSheet } from 'read-excel-file/node';

/** A table as it was read from a file, and what was found out about the file. */
export interface ReadTable extends TextTable {
  /** The file in a few words, such as “CSV, delimiter ;, Windows-1252”. */
  read: string;
}

/** A sheet that is larger than this once it is unpacked is not opened. */
const largestUnpacked = 200 * 1024 * 1024;

/** Reads a table: CSV and what spreadsheets paste, JSON, or a sheet (Office Open XML). Throws a sentence where it is none of these. */
export async function readTableFile(bytes: Uint8Array, options: { ragged: RaggedRows; header?: boolean }): Promise<ReadTable> {
  if (bytes.length === 0) throw new Error('The file is empty.');
  // A ZIP archive starts with a local file header (APPNOTE.TXT, 4.3.7).
  if (bytes[0] === 0x50 && bytes[1] === 0x4b && bytes[2] === 3 && bytes[3] === 4) return readSpreadsheet(bytes, options);
  const { text, encoding } = decodeText(bytes);
  if (/^\s*[[{]/.test(text)) return { ...readJsonTable(text, options.ragged), read: `JSON, ${encoding}` };
  const csv = readCsv(text, options);
  const delimiter = csv.delimiter === '\t' ? 'tab' : csv.delimiter;
  return {
    ...csv,
    read: `CSV, delimiter ${delimiter}, ${csv.hasHeader ? 'first line names the columns' : 'no line names the columns'}, ${encoding}`,
  };
}

async function readSpreadsheet(bytes: Uint8Array, options: { ragged: RaggedRows }): Promise<ReadTable> {
  mustUnpackSmall(bytes);
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
  return {
    ...tableOf(
      header,
      body.filter((row) => row.some((cell) => cell !== '')).map((fields, at) => ({ line: at + 2, fields })),
      options.ragged,
      'row',
    ),
    read: 'sheet (.xlsx), its first row names the columns',
  };
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

function cellText(cell: unknown): string {
  if (cell === null || cell === undefined) return '';
  if (cell instanceof Date) return cell.toISOString().replace(/T00:00:00\.000Z$/, '');
  return typeof cell === 'string' ? cell : typeof cell === 'number' || typeof cell === 'boolean' ? String(cell) : JSON.stringify(cell);
}
