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

describe('files of data tables', () => {
  it('reads a sheet: texts, numbers, cells that are missing', async () => {
    const rows = `<row r="1">${text('A1', 'grower')}${text('B1', 'kg')}</row><row r="2">${text('A2', 'Söhne &amp; Co')}<c r="B2"><v>1250.5</v></c></row><row r="3">${text('A3', 'Alm')}</row>`;
    expect(await readTableFile(workbook(rows), options)).toMatchObject({
      columns: ['grower', 'kg'],
      rows: [
        ['Söhne & Co', '1250.5'],
        ['Alm', ''],
      ],
      read: 'sheet (.xlsx), its first row names the columns',
    });
  });

  it('reads what a spreadsheet copies, and says what it found out', async () => {
    expect(await readTableFile(Buffer.from('number\tkg\nTWCU7700008\t12\n'), options)).toMatchObject({
      columns: ['number', 'kg'],
      read: 'CSV, delimiter tab, first line names the columns, UTF-8',
    });
    expect((await readTableFile(Buffer.from('[{"a":1}]'), options)).read).toBe('JSON, UTF-8');
  });

  it('refuses what would unpack to more than is taken, before it is unpacked', async () => {
    const bomb = zipSync({ 'xl/worksheets/sheet1.xml': new Uint8Array(60 * 1024 * 1024) }, { level: 9 });
    expect(bomb.length).toBeLessThan(200_000);
    const before = process.memoryUsage().arrayBuffers;
    await expect(readTableFile(bomb, options)).rejects.toThrow('would unpack to more than 200 MB');
    expect(process.memoryUsage().arrayBuffers - before).toBeLessThan(30 * 1024 * 1024);
  });

  it.each([
    [new Uint8Array(), 'The file is empty.'],
    [zipSync({ 'a.txt': strToU8('x') }), 'no sheet that can be read'],
    [Buffer.from('a,b\n"1,2'), 'cannot be read as CSV at line'],
  ])('says what is wrong with a file', async (bytes, told) => {
    await expect(readTableFile(bytes, options)).rejects.toThrow(told);
  });
});
