import { RE2JS } from 're2js';

/** Repeats are written out when an expression is compiled, so nested ones grow as their product. */
const mostParts = 5_000;

/** Where case does not matter, each sign of a range is looked up; this many take about as long as one part. */
const signsOfAPart = 64;

/** The code point of a sign, or of the escape that names one. */
const codeOf = (sign: string): number => (sign.startsWith('\\x{') ? parseInt(sign.slice(3), 16) : (sign.codePointAt(0) ?? 0));

/** How many parts a class counts as, from what stands between its brackets: one, and more where its ranges are wide. */
function partsOfClass(inner: string): number {
  let wide = 0;
  for (const [, first = '', last = ''] of inner.matchAll(/(\\x\{[0-9a-f]{1,6}\}|[^\\])-(\\x\{[0-9a-f]{1,6}\}|[^\\])/giu))
    wide += Math.max(0, codeOf(last) - codeOf(first));
  return 1 + Math.floor(wide / signsOfAPart);
}

/** How many parts an expression has once its repeats are written out: signs, classes, and groups as often as they are repeated. */
export function partsOf(pattern: string): number {
  const open: number[] = [0];
  let last = 0;
  const add = (parts: number): void => {
    open[open.length - 1] = (open.at(-1) ?? 0) + parts;
    last = parts;
  };
  for (let at = 0; at < pattern.length; at++) {
    const sign = pattern[at];
    if (sign === '\\') {
      at++;
      add(1);
    } else if (sign === '[') {
      const from = at + 1;
      // The first sign of a class may be a bracket.
      for (at += pattern[at + 1] === '^' ? 3 : 2; at < pattern.length && pattern[at] !== ']'; at++) if (pattern[at] === '\\') at++;
      add(partsOfClass(pattern.slice(from, at)));
    } else if (sign === '(') open.push(0);
    else if (sign === ')') {
      const inner = open.length > 1 ? (open.pop() ?? 0) : 0;
      add(Math.max(1, inner));
    } else if (sign === '{') {
      const [whole, least = '', most] = /^\{(\d+)(?:,(\d*))?\}/.exec(pattern.slice(at, at + 24)) ?? [];
      if (whole === undefined) add(1);
      else {
        at += whole.length - 1;
        const times = Math.max(1, Number(least), Number(most ?? 0));
        open[open.length - 1] = (open.at(-1) ?? 0) + last * (times - 1);
        last *= times;
      }
    } else add(1);
  }
  return open.reduce((sum, count) => sum + count, 0);
}

/** Compiles an expression of RE2. Throws where it is not valid, or where its repeats make it too large to be worked with. */
export function compileExpression(pattern: string, flags = 0): RE2JS {
  const parts = partsOf(pattern);
  if (parts > mostParts)
    throw new Error(
      `The expression is too large: written out it has ${parts.toLocaleString('en')} parts, and at most ${mostParts.toLocaleString('en')} are taken. Use “*” or “+” in the place of large counts, and fewer wide ranges.`,
    );
  return RE2JS.compile(pattern, flags);
}
