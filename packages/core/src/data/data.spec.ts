import fc from 'fast-check';
import seedrandom from 'seedrandom';
import {
  containerCheckDigit,
  containerNumber,
  decodeText,
  defused,
  detectDelimiter,
  generateRows,
  gs1CheckDigit,
  iban,
  isContainerNumber,
  iso7064Check,
  readCsv,
  readJsonTable,
  writeCsv,
  type GeneratedColumn,
  type Iso7064System,
} from '../index.js';

describe('container numbers', () => {
  it('have the check digit of ISO 6346 (CSQU3054383 is the example of the standard; from memory)', () => {
    expect(containerCheckDigit('CSQU305438')).toBe(3);
    expect(isContainerNumber('CSQU3054383')).toBe(true);
    expect(isContainerNumber('CSQU3054384')).toBe(false);
    expect(isContainerNumber('CSQX3054383')).toBe(false);
  });

  it('are all different, valid, and the same for the same seed', () => {
    const made = (count: number, seed: string, owner = 'TWCU') => generateRows([{ kind: 'container', name: 'n', owner }], count, seed, 0);
    const rows = made(20_000, 'seed').map(([number]) => number ?? '');
    expect(new Set(rows).size).toBe(20_000);
    expect(rows.every(isContainerNumber)).toBe(true);
    expect(made(3, 'seed')).toEqual(made(20_000, 'seed').slice(0, 3));
    expect(made(3, 'other')).not.toEqual(made(3, 'seed'));
    expect(() => made(1, 's', 'twc')).toThrow('Column “n”: “twc” is no owner code.');
  });

  it('change their check digit when one digit changes (but for the known ambiguity of remainder 10)', () => {
    fc.assert(
      fc.property(fc.integer({ min: 0, max: 999_998 }), (serial) => {
        expect(isContainerNumber(containerNumber('TWCU', serial))).toBe(true);
      }),
    );
  });
});

describe('check digits', () => {
  it.each([
    // GS1, “How to calculate a check digit manually”, worked example of a GTIN-13.
    ['629104150021', '3'],
    // EAN-13 of the ISBN 978-0-306-40615-7, the usual worked example.
    ['978030640615', '7'],
  ])('of GS1 numbers: %s', (digits, check) => {
    expect(gs1CheckDigit(digits)).toBe(check);
  });

  it.each<[Iso7064System, string, string]>([
    // ISO/IEC 7064:2003, examples of the standard, from memory: 0794 with mod 11-2 is 07940; 794 with mod 97-10 is 79444; 0794 with mod 11,10 is 07945.
    ['mod 11-2', '0794', '0'],
    ['mod 97-10', '794', '44'],
    ['mod 11,10', '0794', '5'],
    // ORCID, “Structure of the ORCID Identifier”: 0000-0002-1825-0097 and 0000-0002-1694-233X.
    ['mod 11-2', '000000021825009', '7'],
    ['mod 11-2', '000000021694233', 'X'],
    // GRid standard (IFPI), example A1-2425G-ABC1234002-M.
    ['mod 37,36', 'A12425GABC1234002', 'M'],
  ])('of ISO/IEC 7064 %s: %s', (system, text, check) => {
    expect(iso7064Check(text, system)).toBe(check);
  });

  it('of ISO/IEC 7064 mod 37-2 satisfy its own congruence: the whole is 1 modulo 37', () => {
    const text = 'G123498654321';
    const check = iso7064Check(text, 'mod 37-2');
    const values = Array.from(text + check, (sign) => (sign === '*' ? 36 : parseInt(sign, 36)));
    expect(values.reduce((sum, value) => (sum * 2 + value) % 37, 0)).toBe(1);
  });

  it('of IBANs (examples of the SWIFT IBAN registry)', () => {
    expect(iban('GB', 'WEST12345698765432')).toBe('GB82WEST12345698765432');
    expect(iban('DE', '370400440532013000')).toBe('DE89370400440532013000');
    expect(() => iban('g', '1')).toThrow(/two capitals/);
  });
});

describe('generated columns', () => {
  const rows = (columns: GeneratedColumn[], count = 5, seed = 's') =>
    generateRows(columns, count, seed, Date.parse('2026-11-24T10:00:00Z'));

  it('draw from a generator with a known answer (seedrandom 3, README: seed “hello.”)', () => {
    expect(seedrandom('hello.')()).toBe(0.9282578795792454);
  });

  it('are the same for the same seed, and do not depend on the columns beside them', () => {
    const number: GeneratedColumn = { kind: 'number', name: 'kg', from: 10, to: 20, decimals: 1 };
    const alone = rows([number]);
    expect(rows([{ kind: 'guid', name: 'g' }, number]).map((row) => [row[1]])).toEqual(alone);
    expect(rows([number], 5, 'other')).not.toEqual(alone);
    expect(alone.flat().every((text) => Number(text) >= 10 && Number(text) <= 20 && /^\d+\.\d$/.test(text))).toBe(true);
  });

  it('count, pad, pick by weight, join and digest', () => {
    const made = rows(
      [
        { kind: 'sequence', name: 'n', start: 8, step: 2, width: 4 },
        {
          kind: 'pick',
          name: 'goods',
          from: [
            { text: 'cod', weight: 3 },
            { text: 'plums', weight: 1 },
          ],
        },
        { kind: 'joined', name: 'lot', text: 'Lot {n}: {goods}' },
        { kind: 'digest', name: 'sum', of: 'n', digest: 'md5' },
      ],
      4000,
    );
    expect(made[1]?.[0]).toBe('0010');
    expect(made[0]?.[2]).toBe(`Lot 0008: ${made[0]?.[1]}`);
    // RFC 1321 names no digest of “0008”; the digest itself is checked with the encodings.
    expect(made[0]?.[3]).toMatch(/^[0-9a-f]{32}$/);
    const share = made.filter((row) => row[1] === 'cod').length / made.length;
    expect(Math.abs(share - 0.75)).toBeLessThan(0.03);
  });

  it('make days in the forms that people write, all within their bounds', () => {
    const made = rows([{ kind: 'date', name: 'd', fromDays: -2, toDays: 2, form: 'DD.MM.YYYY' }], 200).flat();
    expect(new Set(made)).toEqual(new Set(['22.11.2026', '23.11.2026', '24.11.2026', '25.11.2026', '26.11.2026']));
  });

  it.each<[GeneratedColumn, (text: string) => boolean]>([
    [
      { kind: 'gs1', name: 'x', prefix: '4012345', length: 13 },
      (text) => /^4012345\d{6}$/.test(text) && gs1CheckDigit(text.slice(0, -1)) === text.at(-1),
    ],
    [
      { kind: 'iso7064', name: 'x', system: 'mod 97-10', prefix: '9', digits: 6 },
      (text) => /^9\d{8}$/.test(text) && Number(text) % 97 === 1,
    ],
    [{ kind: 'iban', name: 'x', country: 'DE', bank: '37040044', digits: 10 }, (text) => /^DE\d{20}$/.test(text)],
    [{ kind: 'words', name: 'x', count: 2 }, (text) => /^[A-Z][a-z]+ [A-Z][a-z]+$/.test(text)],
    [{ kind: 'guid', name: 'x' }, (text) => /^[0-9a-f]{8}-[0-9a-f]{4}-4[0-9a-f]{3}-[89ab][0-9a-f]{3}-[0-9a-f]{12}$/.test(text)],
  ])('are of their form, and those with check digits all different: %j', (column, fits) => {
    const made = rows([column], 3000).flat();
    expect(made.filter((text) => !fits(text))).toEqual([]);
    if (column.kind !== 'words') expect(new Set(made).size).toBe(3000);
  });

  it.each<[GeneratedColumn[], string]>([
    [[{ kind: 'joined', name: 'a', text: '{b}' }], 'Column “a”: there is no column “b” before it.'],
    [
      [
        { kind: 'guid', name: 'a' },
        { kind: 'guid', name: 'a' },
      ],
      'Two columns are called “a”',
    ],
    [[{ kind: 'gs1', name: 'a', prefix: '123456', length: 8 }], 'only 10 different values fit, but 50 rows are wanted'],
    [[{ kind: 'number', name: 'a', from: 2, to: 1, decimals: 0 }], 'the most is less than the least'],
    [[{ kind: 'iso7064', name: 'a', system: 'mod 11-2', prefix: 'A', digits: 3 }], 'Column “a”: “A'],
  ])('say what is wrong with them: %j', (columns, problem) => {
    expect(() => rows(columns, 50)).toThrow(problem);
  });
});

describe('CSV', () => {
  it('reads quoted fields with commas, quotes and line breaks (RFC 4180, section 2, rules 5 to 7)', () => {
    const table = readCsv('aaa,bbb,ccc\r\n"aaa","b CRLF\r\nbb","c,cc"\r\n"zz""z",yyy,xxx\r\n');
    expect(table.columns).toEqual(['aaa', 'bbb', 'ccc']);
    expect(table.rows).toEqual([
      ['aaa', 'b CRLF\r\nbb', 'c,cc'],
      ['zz"z', 'yyy', 'xxx'],
    ]);
    expect(table.problems).toEqual([]);
  });

  it('leaves ragged lines out and names them by line', () => {
    const table = readCsv('\uFEFFa;b\n1;2\n3\n4;5;6\n7;8\n');
    expect(table.delimiter).toBe(';');
    expect(table.rows).toEqual([
      ['1', '2'],
      ['7', '8'],
    ]);
    expect(table.problems).toEqual([
      { line: 3, text: 'has 1 fields instead of 2' },
      { line: 4, text: 'has 3 fields instead of 2' },
    ]);
  });

  it('says what is wrong with a file that cannot be read', () => {
    expect(() => readCsv('')).toThrow(/The file is empty/);
    expect(() => readCsv('a,a\n1,2')).toThrow(/Two columns are called “a”/);
    const wide = Array.from({ length: 1001 }, (_, at) => `c${at}`).join(',');
    expect(() => readCsv(`${wide}\n${wide}`)).toThrow(/1,001 columns, and at most 1,000 are taken/);
    expect(() => readCsv('a,b\n"1,2\n3,4')).toThrow(/cannot be read as CSV at line/);
  });

  it('finds out whether the first line names the columns', () => {
    expect(readCsv('TWCU7700008,12\nTWCU7700013,14\n')).toMatchObject({ hasHeader: false, columns: ['column 1', 'column 2'] });
    expect(readCsv('number,kg\nTWCU7700008,12\n').rows.length).toBe(1);
    expect(readCsv('number,kg\na,b\n', { header: false }).rows.length).toBe(2);
  });

  it('fixes ragged lines, or stops at them, as is wished', () => {
    const text = 'a,b\n1\n2,3,4\n5,6\n';
    expect(readCsv(text, { ragged: 'fix' }).rows).toEqual([
      ['1', ''],
      ['2', '3'],
      ['5', '6'],
    ]);
    expect(() => readCsv(text, { ragged: 'stop' })).toThrow(
      '2 lines do not fit; the first is line 2, which has 1 fields instead of 2. Nothing was imported.',
    );
  });

  it.each([
    ['a,b\n1,2', ','],
    ['a\tb\n1\t2', '\t'],
    ['a|b\n1|2', '|'],
    ['"x,y";b\n"1,2";2', ';'],
    ['a\n1', ','],
  ])('detects the delimiter of %j', (text, delimiter) => {
    expect(detectDelimiter(text)).toBe(delimiter);
  });
});

describe('bytes of a file', () => {
  const text = 'name;kg\nMüller – Söhne;12\n';
  it.each([
    ['UTF-8', Buffer.from(text)],
    ['UTF-8', Buffer.from(`\uFEFF${text}`)],
    ['UTF-16LE', Buffer.from(`\uFEFF${text}`, 'utf16le')],
    ['UTF-16LE', Buffer.from('name;kg\nabc;12\n', 'utf16le')],
    ['UTF-16BE', Buffer.from(`\uFEFF${text}`, 'utf16le').swap16()],
    // 0x96 is an en dash in Windows-1252 only; in ISO 8859-1 it is a control sign.
    [
      'Windows-1252',
      Buffer.concat([Buffer.from('name;kg\nM\xfcller ', 'latin1'), Buffer.from([0x96]), Buffer.from(' S\xf6hne;12\n', 'latin1')]),
    ],
  ])('are read as %s', (encoding, bytes) => {
    const read = decodeText(bytes);
    expect(read.encoding).toBe(encoding);
    expect([text, 'name;kg\nabc;12\n']).toContain(read.text);
  });
});

describe('JSON', () => {
  it('gives tables of lists of objects, of lists, of lines, and of a list in an object', () => {
    const wanted = {
      columns: ['a', 'b'],
      rows: [
        ['1', ''],
        ['x', '{"c":2}'],
      ],
      problems: [],
    };
    for (const text of [
      '[{"a":1},{"a":"x","b":{"c":2}}]',
      '[["a","b"],[1,null],["x",{"c":2}]]',
      '{"a":1}\n{"a":"x","b":{"c":2}}\n',
      '{"total":2,"items":[{"a":1},{"a":"x","b":{"c":2}}]}',
    ])
      expect(readJsonTable(text, 'skip')).toMatchObject(wanted);
    expect(readJsonTable('[["a","b"],[1]]', 'skip').problems).toEqual([{ line: 2, text: 'has 1 fields instead of 2' }]);
    expect(readJsonTable('[{"__proto__":1,"a":2}]', 'skip').columns).toEqual(['__proto__', 'a']);
  });
  it.each([
    ['[', 'This is no JSON'],
    ['{"a":1}', 'no list'],
    ['[]', 'The list is empty'],
    ['[1]', 'Entry 1 of the list is no object'],
    ['{"a":1}\n{"a":', 'line 2 by itself is none either'],
  ])('says what is wrong with %j', (text, problem) => {
    expect(() => readJsonTable(text, 'skip')).toThrow(problem);
  });
});

describe('writing CSV', () => {
  it('reads back as it was, quotes and line breaks included (RFC 4180)', () => {
    const rows = [
      ['a "b"', 'c,d'],
      ['line\r\nbreak', '-18.5'],
    ];
    const text = writeCsv(['x', 'y'], rows);
    expect(text.startsWith('x,y\r\n')).toBe(true);
    expect(readCsv(text)).toMatchObject({ columns: ['x', 'y'], rows });
  });

  it('leaves nothing that a spreadsheet would compute, and numbers as they are', () => {
    const cells = ['=1+1', '+SUM(A1)', '-2+3', '@cmd', '\tx', '-18.5', '+4', '2-1', 'a=b'];
    expect(cells.map(defused)).toEqual(["'=1+1", "'+SUM(A1)", "'-2+3", "'@cmd", "'\tx", '-18.5', '+4', '2-1', 'a=b']);
  });
});
