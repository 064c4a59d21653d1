import { compileExpression, partsOf } from './expression.js';

describe('Expressions', () => {
  it('count as large as they are once their repeats are written out', () => {
    expect(partsOf('abc')).toBe(3);
    expect(partsOf('(ab){10}c')).toBe(21);
    expect(partsOf('((a{10}){10}){10}')).toBe(1000);
    expect(partsOf('[a-z_]{2,5}')).toBe(5);
  });

  it.each([
    ['repeats within repeats', '((a{1000}){1000}){1000}'],
    ['wide ranges, whose signs are each looked up in both cases', `(?i)[${'$-鴈20,}'.repeat(60)}]`],
    ['wide ranges that are written as escapes', `(?i)${'[\\x{24}-\\x{9d08}]'.repeat(60)}`],
  ])('are refused before they are compiled where they are too large: %s', (_, pattern) => {
    expect(() => compileExpression(pattern)).toThrow(/The expression is too large: written out it has [\d,]+ parts/);
  });

  it('of all signs of a script, and of any sign but one, are not too large', () => {
    for (const pattern of ['[\\x{4e00}-\\x{9fff}]+', '[^"]+', '[一-鿿]{2,8}']) expect(compileExpression(pattern).pattern()).toBe(pattern);
  });
});
