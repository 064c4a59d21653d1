import { cellText, writeExactCsv, type Block, type ReportDocument } from '@sturdy/core';
import writeExcelFile from 'write-excel-file/node';

const longestSheetName = 31;

const tablesOf = ({ blocks }: ReportDocument) =>
  blocks.filter((block): block is Extract<Block, { kind: 'table' }> => block.kind === 'table');

/** The tables of a document as a workbook (Office Open XML), one sheet each; numbers are numbers, with the digits that they are shown with. */
export async function writeWorkbook(document: ReportDocument): Promise<Uint8Array> {
  const taken = new Set<string>();
  const nameOf = (caption: string): string => {
    const plain = caption.replace(/[\\/*?:[\]]/g, ' ').slice(0, longestSheetName - 3) || 'Table';
    let name = plain;
    for (let n = 2; taken.has(name.toLowerCase()); n++) name = `${plain} ${n}`;
    taken.add(name.toLowerCase());
    return name;
  };
  const about = [
    [{ type: String, value: document.title, fontWeight: 'bold' as const }],
    ...document.facts.map(({ name, value }) => [
      { type: String, value: name },
      { type: String, value },
    ]),
  ];
  const sheets = [
    { name: nameOf('About'), data: about },
    ...tablesOf(document).map(({ caption, columns, rows }) => ({
      name: nameOf(caption),
      data: [
        columns.map(({ name }) => ({ type: String, value: name, fontWeight: 'bold' as const })),
        ...rows.map((row) =>
          row.map((cell) =>
            cell === null || cell === ''
              ? null
              : typeof cell === 'string'
                ? { type: String, value: cell }
                : { type: Number, value: cell.number, format: cell.digits === 0 ? '#,##0' : `#,##0.${'0'.repeat(cell.digits)}` },
          ),
        ),
      ],
    })),
  ];
  return new Uint8Array(await writeExcelFile(sheets.map(({ name, data }) => ({ sheet: name, data }))).toBuffer());
}

/** The tables of a document as CSV (RFC 4180), one below the other, each under its name. */
export const writeTablesCsv = (document: ReportDocument): string =>
  tablesOf(document)
    .map(({ caption, columns, rows }) => {
      const names = columns.map(({ name }) => name);
      const cells = rows.map((row) =>
        row.map((cell) => (typeof cell === 'object' && cell !== null ? String(cell.number) : cellText(cell))),
      );
      return writeExactCsv([caption], []) + writeExactCsv(names, cells);
    })
    .join('\r\n');
