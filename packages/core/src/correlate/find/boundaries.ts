import type { Extractor } from '../../extractors/extractor.schema.js';

const longestLeft = 60;
const mostOccurrences = 20;

/** The sign or signs after a value that do not stand in the value itself. */
function rightOf(text: string, value: string, end: number): string | null {
  for (let length = 1; length <= 12; length++) {
    const right = text.slice(end, end + length);
    if (right.length < length) return end === text.length ? '' : null;
    if (!value.includes(right) && !`${value}${right.slice(0, -1)}`.includes(right)) return right;
  }
  return null;
}

/** True where what stands there is a piece of a longer word. */
const isInside = (text: string, raw: string, at: number): boolean =>
  (/^\w/.test(raw) && /\w/.test(text[at - 1] ?? '')) || (/\w$/.test(raw) && /\w/.test(text[at + raw.length] ?? ''));

/**
 * Text boundaries around a value that stands in a text as `raw`: the shortest left text that leads to it alone, cut at signs where
 * people would cut. Boundaries that hold digits are avoided, because those are most likely to change from one visit to the next.
 * Null where the value does not stand in the text, or nothing leads to it.
 */
export function boundariesFor(text: string, raw: string): Extract<Extractor, { kind: 'between' }> | null {
  let spare: Extract<Extractor, { kind: 'between' }> | null = null;
  let count = 0;
  for (let at = text.indexOf(raw); at >= 0 && count < mostOccurrences; at = text.indexOf(raw, at + 1)) {
    const right = rightOf(text, raw, at + raw.length);
    if (right === null || right === '' || isInside(text, raw, at)) continue;
    count++;
    for (let length = 1; length <= longestLeft && length <= at; length++) {
      const left = text.slice(at - length, at);
      const alone = text.indexOf(left) === at - length;
      if (!alone) continue;
      const found = { kind: 'between' as const, left, right, nth: 0 };
      // A run of letters is not cut in the middle, and a quote before it belongs to it.
      const before = text[at - length - 1] ?? ' ';
      const whole = !/^\w/.test(left) || !/[\w"']/.test(before);
      if (whole && /[A-Za-z]{2}/.test(left) && !/\d/.test(left)) return found;
      spare ??= found;
    }
  }
  return spare;
}

/** How far before a value its name may stand. */
const longestName = 32;

/**
 * Boundaries around each place where a value stands behind a name, such as a key or the call of a function: the name and what is between
 * it and the value, and which of the places that these lead to it is.
 */
export function boundariesBehind(text: string, raw: string, name: string): Extract<Extractor, { kind: 'between' }>[] {
  const found: Extract<Extractor, { kind: 'between' }>[] = [];
  let count = 0;
  for (let at = text.indexOf(raw); at >= 0 && count < mostOccurrences; at = text.indexOf(raw, at + 1)) {
    if (isInside(text, raw, at)) continue;
    const from = text.lastIndexOf(name, at);
    if (from < 0 || at - from - name.length > longestName - name.length || from + name.length > at) continue;
    const right = rightOf(text, raw, at + raw.length);
    if (right === null || right === '') continue;
    count++;
    const left = text.slice(from, at);
    // What holds digits of its own is another text on the next visit.
    if (/\d/.test(left)) continue;
    let nth = 0;
    for (let before = text.indexOf(left); before >= 0 && before < from; before = text.indexOf(left, before + 1)) nth++;
    if (!found.some((boundary) => boundary.left === left && boundary.nth === nth)) found.push({ kind: 'between', left, right, nth });
  }
  return found;
}
