import { mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { CsvReader, type TableOptions } from '@sturdy/core';
import { strToU8, zipSync } from 'fflate';
import { readTableFile } from './read-table-file.js';

/** The smallest workbook of Office Open XML (ECMA-376) with inline texts, numbers and a missing cell. */
const workbook = (rows: string): Uint8Array =>
  zipSync({
    '[Content_Types].xml': strToU8(
      '<?xml version="1.0"?><Types xmlns="http://schemas.openxmlformats.org/package/2006/content-types"><Default Extension="xml" ContentType="application/xml"/><Default Extension="rels" ContentType="application/vnd.openxmlformats-package.relationships+xml"/><Override PartName="/xl/workbook.xml" ContentType="application/vnd.openxmlformats-officedocument.spreadsheetml.sheet.main+xml"/><Override PartName="/xl/worksheets/sheet1.xml" ContentType="application/vnd.openxmlformats-officedocument.spreadsheetml.worksheet+xml"/></Types>',
    ),
    '_rels/.rels': strToU8(
      '<?xml version="1.0"?><Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships"><Relationship Id="r1" Type="http://schemas.openxmlformats.org/officeDocument/2006/relationships/officeDocument" Target="xl/workbook.xml"/></Relationships>',
    ),
    'xl/workbook.xml': strToU8(
      '<?xml version="1.0"?><workbook xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main" xmlns:r="http://schemas.openxmlformats.org/officeDocument/2006/relationships"><sheets><sheet name="Growers" sheetId="1" r:id="r1"/></sheets></workbook>',
    ),
    'xl/_rels/workbook.xml.rels': strToU8(
      '<?xml version="1.0"?><Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships"><Relationship Id="r1" Type="http://schemas.openxmlformats.org/officeDocument/2006/relationships/worksheet" Target="worksheets/sheet1.xml"/></Relationships>',
    ),
    'xl/styles.xml': strToU8('<?xml version="1.0"?><styleSheet xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main"/>'),
    'xl/worksheets/sheet1.xml': strToU8(
      `<?xml version="1.0"?><worksheet xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main"><sheetData>${rows}</sheetData></worksheet>`,
    ),
  });
const text = (at: string, value: string) => `<c r="${at}" t="inlineStr"><is><t>${value}</t></is></c>`;
const options = { ragged: 'skip' as const };

const folder = mkdtempSync(join(tmpdir(), 'sturdy-tables-'));
afterAll(() => {
  rmSync(folder, { recursive: true, force: true });
});
/** Reads bytes as a file; with the rows that were handed on, and how large the largest batch was. */
async function readBytes(bytes: Uint8Array, tableOptions: TableOptions = options) {
  const file = join(folder, 'table');
  writeFileSync(file, bytes);
  const rows: string[][] = [];
  let largest = 0;
  const table = await readTableFile(file, tableOptions, (batch) => {
    rows.push(...batch);
    largest = Math.max(largest, batch.length);
    return Promise.resolve();
  });
  return { ...table, rows, largest };
}

describe('files of data tables', () => {
  it('reads a sheet: texts, numbers, cells that are missing', async () => {
    const rows = `<row r="1">${text('A1', 'grower')}${text('B1', 'kg')}</row><row r="2">${text('A2', 'Söhne &amp; Co')}<c r="B2"><v>1250.5</v></c></row><row r="3">${text('A3', 'Alm')}</row>`;
    expect(await readBytes(workbook(rows))).toMatchObject({
      columns: ['grower', 'kg'],
      kinds: ['text', 'number'],
      rows: [
        ['Söhne & Co', '1250.5'],
        ['Alm', ''],
      ],
      read: 'sheet (.xlsx), its first row names the columns',
    });
  });

  it('reads what a spreadsheet copies, and says what it found out', async () => {
    expect(await readBytes(Buffer.from('number\tkg\nTWCU7700008\t12\n'))).toMatchObject({
      columns: ['number', 'kg'],
      read: 'CSV, delimiter tab, first line names the columns, UTF-8',
    });
    expect((await readBytes(Buffer.from('[{"a":1}]'))).read).toBe('JSON, UTF-8');
  });

  it('hands on a long file in batches, whatever piece of it a sign, a quoted line end or a lone byte falls into', async () => {
    const lines = Array.from({ length: 120_000 }, (_, at) => `${at};"Möwe\n${at}";${at % 7}.50`);
    const long = await readBytes(Buffer.from(`n;name;kg\n${lines.join('\n')}\n`));
    expect([long.rowCount, long.rows.length, long.largest, long.kinds]).toEqual([120_000, 120_000, 5000, ['number', 'text', 'number']]);
    expect(long.rows.every((row, at) => row[0] === String(at) && row[1] === `Möwe\n${at}`)).toBe(true);
    // One byte that is no UTF-8, far behind the beginning, tells that none of it is.
    const old = await readBytes(Buffer.concat([Buffer.from(`n\n${'plain\n'.repeat(300_000)}`), Buffer.from([0xd6, 0x6c, 0x80])]));
    expect([old.read, old.rows.at(-1)]).toEqual(['CSV, delimiter ,, first line names the columns, Windows-1252', ['Öl€']]);
  });

  it('refuses what would unpack to more than is taken, before it is unpacked', async () => {
    const bomb = zipSync({ 'xl/worksheets/sheet1.xml': new Uint8Array(60 * 1024 * 1024) }, { level: 9 });
    expect(bomb.length).toBeLessThan(200_000);
    const before = process.memoryUsage().arrayBuffers;
    await expect(readBytes(bomb)).rejects.toThrow('would unpack to more than 200 MB');
    expect(process.memoryUsage().arrayBuffers - before).toBeLessThan(30 * 1024 * 1024);
  });

  it.each([
    ['ZZZZZZ9999999999', 'has a cell at ZZZZZZ9999999999, outside of every sheet'],
    ['XFE1', 'outside of every sheet'],
    ['A1048577', 'outside of every sheet'],
    ['XFD1048576', 'reaches over 16384 columns and 1048576 rows'],
  ])('refuses a sheet with a cell at %s, before it is laid out', async (at, problem) => {
    const rows = `<row r="1">${text('A1', 'grower')}</row><row r="2">${text(at, 'x')}</row>`;
    await expect(readBytes(workbook(rows))).rejects.toThrow(problem);
  });

  it.each([
    [new Uint8Array(), 'The file is empty.'],
    [zipSync({ 'a.txt': strToU8('x') }), 'no sheet that can be read'],
    [Buffer.from('a,b\n"1,2'), 'cannot be read as CSV at line'],
    [Buffer.from(`a,b\n1,2\n"3,${'x'.repeat(17 << 20)}`), 'The record that begins at line 3 does not end within 16 MB.'],
  ])('says what is wrong with a file', async (bytes, problem) => {
    await expect(readBytes(bytes)).rejects.toThrow(problem);
  });
});

// csv-spectrum 2.0.0 (M. Ogden): files of CSV with what trips readers up, and what they hold.
describe('The files of csv-spectrum', () => {
  const suite = join(__dirname, '../../../../node_modules/csv-spectrum');
  const names = readdirSync(join(suite, 'csvs')).map((fileName) => fileName.replace('.csv', ''));

  it.each(names)('%s is read as the suite says', async (name) => {
    const wanted = [JSON.parse(readFileSync(join(suite, 'json', `${name}.json`), 'utf8')) as Record<string, string>].flat();
    const { columns, rows } = await readBytes(readFileSync(join(suite, 'csvs', `${name}.csv`)), { ragged: 'skip', header: true });
    const read = rows.map((row) => Object.fromEntries(columns.map((column, at) => [column, row[at]])));
    // One of its files has another telephone number in the CSV than in the JSON.
    const number = 'Contact Phone Number';
    expect(read).toEqual(wanted.map((secrets, at) => (number in secrets ? { ...secrets, [number]: read[at]?.[number] } : secrets)));
  });

  it('hold quotes within fields: pieces are cut where records end all the same', () => {
    const reader = new CsvReader(',');
    const text = `a,37°36'37.8" N,c\n"x\n",2" pipe,"say ""a"",\nb"\n`;
    const records = Array.from(text).flatMap((sign) => reader.write(sign));
    expect(records.map((record) => record.fields)).toEqual([
      ['a', `37°36'37.8" N`, 'c'],
      ['x\n', '2" pipe', 'say "a",\nb'],
    ]);
    expect(reader.end()).toEqual([]);
  });
});
