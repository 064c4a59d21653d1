import { unzipSync } from 'fflate';
import { readSheet } from 'read-excel-file/node';
import type { DataColumn } from '@sturdy/core';
import { writeSheet } from './write-sheet.js';

const column = (name: string, kind: DataColumn['kind'] = 'text'): DataColumn => ({ name, kind, unique: false });

describe('a table as a sheet', () => {
  const columns = [column('container'), column('kg', 'number'), column('note')];
  const rows = [
    ['TWCU7700008', '1250.5', '=HYPERLINK("http://127.0.0.1/","x")'],
    ['00042', '007', '+1+1'],
    ['', 'heavy', '@SUM(A1:A9)'],
  ];

  it('reads back: numbers as numbers, codes and what is no number as texts', async () => {
    const bytes = await writeSheet('Loads / [week 48]: a very long name of a table', columns, rows);
    expect(await readSheet(Buffer.from(bytes))).toEqual([
      ['container', 'kg', 'note'],
      ['TWCU7700008', 1250.5, '=HYPERLINK("http://127.0.0.1/","x")'],
      ['00042', '007', '+1+1'],
      [null, 'heavy', '@SUM(A1:A9)'],
    ]);
  });

  it('holds no formula, whatever stands in its cells (a cell is one only with an element f: ECMA-376, 18.3.1.40)', async () => {
    const files = unzipSync(await writeSheet('T', columns, rows));
    const sheets = Object.entries(files).filter(([name]) => /worksheets\/.*\.xml$/.test(name));
    expect(sheets).toHaveLength(1);
    for (const [, bytes] of sheets) expect(new TextDecoder().decode(bytes)).not.toMatch(/<f[ >/]/);
  });
});
