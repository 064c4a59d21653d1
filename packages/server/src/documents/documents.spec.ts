import { spawnSync } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { numberCell, type ReportDocument } from '@sturdy/core';
import readXlsxFile from 'read-excel-file/node';
import { fromBuffer } from 'yauzl';
import { tasks } from '../compute/tasks.js';
import { drawPicture } from './draw-picture.js';

const svg =
  '<svg xmlns="http://www.w3.org/2000/svg" width="300" height="80" viewBox="0 0 300 80" font-family="Figtree Variable"><rect x="5" y="5" width="120" height="60" fill="#fff" stroke="#8a8478"/><text x="60" y="40" text-anchor="middle" font-size="13">Database</text></svg>';
const transactions = Array.from({ length: 90 }, (_, at) => `Transaction ${at + 1}`);
const document: ReportDocument = {
  title: 'Verdict of the peak hour',
  subtitle: 'Run 4 against release 4.2',
  facts: [{ name: 'Project', value: 'Tidewell – “yard”' }],
  logo: null,
  blocks: [
    { kind: 'heading', level: 1, text: 'Verdict' },
    { kind: 'text', text: 'Book intake: p95 679 ms misses the limit of 400 ms by 70 %.', tone: 'bad' },
    { kind: 'list', items: ['Held for 45 s', 'No clock jumped'] },
    { kind: 'heading', level: 1, text: 'Transactions' },
    {
      kind: 'table',
      caption: 'Figures of the hold',
      columns: [
        { name: 'Transaction', isNumber: false },
        { name: 'Mean, ms', isNumber: true },
        { name: 'Errors, %', isNumber: true },
      ],
      rows: transactions.map((name, at) => [name, numberCell(1000 + at), at === 0 ? null : numberCell(at / 8, 2)]),
    },
    { kind: 'heading', level: 1, text: 'The system' },
    { kind: 'figure', svg, caption: 'How the hosts are connected', width: 300, height: 80 },
  ],
};

let folder: string;
beforeAll(() => {
  folder = mkdtempSync(join(tmpdir(), 'documents-'));
});
afterAll(() => {
  rmSync(folder, { recursive: true });
});

/** What another program makes of a file; null where it is not on this machine. */
function other(program: string, args: readonly string[]): string | null {
  const { error, stdout, status } = spawnSync(program, args, { encoding: 'utf8', timeout: 60_000 });
  if (error) return null;
  expect(status).toBe(0);
  return stdout;
}

/** Entries of a zip by their names. */
const unzip = (bytes: Uint8Array): Promise<Map<string, Buffer>> =>
  new Promise((resolve, reject) => {
    const entries = new Map<string, Buffer>();
    fromBuffer(Buffer.from(bytes), { lazyEntries: true }, (error, zip) => {
      if (error) {
        reject(error);
        return;
      }
      zip.on('entry', (entry: { fileName: string }) => {
        zip.openReadStream(entry as never, (failed, stream) => {
          if (failed) {
            reject(failed);
            return;
          }
          const pieces: Buffer[] = [];
          stream.on('data', (piece: Buffer) => pieces.push(piece));
          stream.on('end', () => {
            entries.set(entry.fileName, Buffer.concat(pieces));
            zip.readEntry();
          });
        });
      });
      zip.on('end', () => {
        resolve(entries);
      });
      zip.readEntry();
    });
  });

describe('PDF', () => {
  it('holds every row and the page numbers, no row is cut, as pdftotext (Debian’s poppler-utils) reads it', async () => {
    const file = join(folder, 'report.pdf');
    writeFileSync(file, await tasks.writeDocument(document, 'pdf'));
    expect(readFileSync(file).subarray(0, 5).toString()).toBe('%PDF-');
    const text = other('pdftotext', ['-layout', file, '-']);
    if (text === null) return;
    for (const name of [...transactions, 'How the hosts are connected', 'Database', 'misses the limit of 400 ms', 'Tidewell – “yard”'])
      expect(text).toContain(name);
    expect(text).toMatch(/Transaction 2 +1,001 +0\.13/);
    const pages = text.split('\f').filter((page) => page.trim() !== '');
    pages.forEach((page, at) => {
      expect(page).toContain(`page ${at + 1} of ${pages.length}`);
    });
    // The head of the table stands on each page that has rows of it.
    const withRows = pages.filter((page) => /Transaction \d+ +1,0/.test(page));
    expect(withRows.length).toBeGreaterThan(1);
    for (const page of withRows) expect(page).toContain('Mean, ms');
    expect(pages[0]).toMatch(/Contents[\s\S]*Transactions\s+\d/);
  });
});

describe('DOCX', () => {
  it('is a package whose texts are those of the document, with a drawing and a picture of it', async () => {
    const bytes = await tasks.writeDocument(document, 'docx');
    const entries = await unzip(bytes);
    const xml = entries.get('word/document.xml')?.toString('utf8') ?? '';
    for (const text of ['Verdict of the peak hour', 'Transaction 90', '1,089', 'How the hosts are connected']) expect(xml).toContain(text);
    expect(xml).toContain('w:tblHeader');
    const media = [...entries.keys()].filter((name) => name.startsWith('word/media/'));
    expect(media.map((name) => name.slice(name.lastIndexOf('.'))).sort()).toEqual(['.png', '.svg']);
    const png = entries.get(media.find((name) => name.endsWith('.png')) ?? '');
    // PNG, 5.2 and 11.2.2: signature, then the width in the header.
    expect([png?.subarray(0, 8).toString('hex'), png?.readUInt32BE(16)]).toEqual(['89504e470d0a1a0a', 600]);
    const file = join(folder, 'report.docx');
    writeFileSync(file, bytes);
    if (other('soffice', ['--headless', '--convert-to', 'txt:Text', '--outdir', folder, file]) === null) return;
    const text = readFileSync(join(folder, 'report.txt'), 'utf8');
    for (const name of [...transactions, 'misses the limit of 400 ms']) expect(text).toContain(name);
  }, 90_000);
});

it('a logo stands in every format that shows pictures, fitted, whatever its size (a square of 3 pixels, PNG, made for this)', async () => {
  const logo = `data:image/png;base64,${(await drawPicture('<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 3 3"><rect width="3" height="3" fill="red"/></svg>', 3)).toString('base64')}`;
  const plain = { ...document, blocks: [] };
  const pictures = async (shown: ReportDocument) =>
    [...(await unzip(await tasks.writeDocument(shown, 'docx'))).keys()].filter((name) => name.startsWith('word/media/')).length;
  expect([await pictures(plain), await pictures({ ...plain, logo })]).toEqual([0, 1]);
  const images = async (shown: ReportDocument) =>
    Buffer.from(await tasks.writeDocument(shown, 'pdf'))
      .toString('latin1')
      .split('/Subtype /Image').length - 1;
  expect([await images(plain), (await images({ ...plain, logo })) > 0]).toEqual([0, true]);
});

describe('a workbook', () => {
  it('has a sheet for each table, in which numbers are numbers, as another library reads it', async () => {
    const bytes = Buffer.from(await tasks.writeDocument(document, 'xlsx'));
    const sheets = await readXlsxFile(bytes);
    expect(sheets.map(({ sheet }) => sheet)).toEqual(['About', 'Figures of the hold']);
    expect(sheets[1]?.data.slice(0, 3)).toEqual([
      ['Transaction', 'Mean, ms', 'Errors, %'],
      ['Transaction 1', 1000, null],
      ['Transaction 2', 1001, 0.125],
    ]);
  });
});

it('CSV has the numbers as they are', async () => {
  const text = Buffer.from(await tasks.writeDocument(document, 'csv')).toString('utf8');
  expect(text.split('\r\n').slice(0, 4)).toEqual([
    'Figures of the hold',
    'Transaction,"Mean, ms","Errors, %"',
    'Transaction 1,1000,',
    'Transaction 2,1001,0.125',
  ]);
});
