import type { DataColumn } from '@sturdy/core';
import { fitsKind } from '@sturdy/core';
import writeExcelFile from 'write-excel-file/node';

/** The longest name that a sheet may have, and the signs that may not stand in it (Office Open XML as spreadsheets read it). */
const longestSheetName = 31;

/** A table as a sheet. Numbers are numbers; everything else is a text, so nothing of it is ever computed. */
export async function writeSheet(name: string, columns: readonly DataColumn[], rows: readonly (readonly string[])[]): Promise<Uint8Array> {
  const header = columns.map((column) => ({ type: String, value: column.name, fontWeight: 'bold' as const }));
  const body = rows.map((row) =>
    columns.map(({ kind }, at) => {
      const text = row[at] ?? '';
      if (text === '') return null;
      return kind === 'number' && fitsKind('number', text) && String(Number(text)) === text
        ? { type: Number, value: Number(text) }
        : { type: String, value: text };
    }),
  );
  const sheet = name.replace(/[\\/*?:[\]]/g, ' ').slice(0, longestSheetName) || 'Table';
  return new Uint8Array(await writeExcelFile([header, ...body], { sheet }).toBuffer());
}
