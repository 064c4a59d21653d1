import fc from 'fast-check';
import { fileName, idChanger, pathFrom, pathProblem, relativePath, rowsOfText, rowsText } from '../index.js';

describe('files of a project', () => {
  it('have names that every system takes, no two the same', () => {
    const taken = new Set<string>();
    expect(['Book intake', 'book  intake', '../..', 'größe/2', ''].map((name) => fileName(name, '.yaml', taken))).toEqual([
      'Book-intake.yaml',
      'book-intake-2.yaml',
      'file.yaml',
      'größe-2.yaml',
      'file-2.yaml',
    ]);
  });

  it.each(['/etc/passwd', '../x', 'a/../../x', 'C:\\x', 'a\\..\\b', 'a//b', './a', '', 'a/\0'])('lie within it: %j does not', (path) => {
    expect(pathProblem(path)).not.toBeNull();
  });

  it('name each other by relative paths, which lead back', () => {
    expect(relativePath('workloads/Peak.yaml', 'scripts/Book.yaml')).toBe('../scripts/Book.yaml');
    expect(relativePath('workloads/Peak.yaml', 'workloads/x.csv')).toBe('x.csv');
    const part = fc.stringMatching(/^[a-z]{1,3}$/);
    const path = fc.array(part, { minLength: 1, maxLength: 4 }).map((parts) => parts.join('/'));
    fc.assert(
      fc.property(path, path, (from, to) => {
        expect(pathFrom(from, relativePath(from, to))).toBe(to);
        expect(pathProblem(to)).toBeNull();
      }),
    );
  });

  it('write rows as spans that read back to the same', () => {
    expect(rowsText([1, 2, 3, 7, 9, 10])).toBe('1-3 7 9-10');
    fc.assert(
      fc.property(fc.uniqueArray(fc.integer({ min: 1, max: 200 })), (rows) => {
        const sorted = rows.sort((left, right) => left - right);
        expect([...rowsOfText(rowsText(sorted))]).toEqual(sorted);
      }),
    );
    expect(() => [...rowsOfText('1-3 five')]).toThrow('“five” names no rows.');
    expect(() => [...rowsOfText('5-3')]).toThrow('“5-3” names no rows.');
  });

  it('have ids changed wherever they stand, and nothing else', () => {
    const change = idChanger(
      new Map([
        ['p1234abc', 'pnew'],
        ['0b0c4a8e-1111', 'new'],
      ]),
    );
    expect(change('part: p1234abc\nid: p1234abc.s1\n"data:0b0c4a8e-1111/number" xp1234abc p1234abcd 0b0c4a8e-1111-2')).toBe(
      'part: pnew\nid: pnew.s1\n"data:new/number" xp1234abc p1234abcd 0b0c4a8e-1111-2',
    );
    expect(idChanger(new Map())('as it is')).toBe('as it is');
  });
});
