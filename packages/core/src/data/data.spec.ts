import fc from 'fast-check';
import { containerCheckDigit, containerNumber, detectDelimiter, generateContainers, isContainerNumber, readCsv } from '../index.js';

describe('container numbers', () => {
  it('have the check digit of ISO 6346 (CSQU3054383 is the example of the standard; from memory)', () => {
    expect(containerCheckDigit('CSQU305438')).toBe(3);
    expect(isContainerNumber('CSQU3054383')).toBe(true);
    expect(isContainerNumber('CSQU3054384')).toBe(false);
    expect(isContainerNumber('CSQX3054383')).toBe(false);
  });

  it('are all different, valid, and the same for the same seed', () => {
    const rows = generateContainers(20_000, 'TWCU', 'seed').map(([number]) => number ?? '');
    expect(new Set(rows).size).toBe(20_000);
    expect(rows.every(isContainerNumber)).toBe(true);
    expect(generateContainers(3, 'TWCU', 'seed')).toEqual(generateContainers(20_000, 'TWCU', 'seed').slice(0, 3));
    expect(generateContainers(3, 'TWCU', 'other')).not.toEqual(generateContainers(3, 'TWCU', 'seed'));
    expect(() => generateContainers(1, 'twc', 's')).toThrow(/is no owner code/);
  });

  it('change their check digit when one digit changes (but for the known ambiguity of remainder 10)', () => {
    fc.assert(
      fc.property(fc.integer({ min: 0, max: 999_998 }), (serial) => {
        expect(isContainerNumber(containerNumber('TWCU', serial))).toBe(true);
      }),
    );
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
    expect(() => readCsv('a,b\n"1,2\n3,4')).toThrow(/cannot be read as CSV at line/);
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
