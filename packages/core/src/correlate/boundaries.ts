import { ResponseView } from '../script/response-view.js';
import { matchesOf } from '../script/extract.js';
import type { Extractor } from '../script/script.schema.js';

/**
 * Text boundaries around a value: the shortest left text that leads to it, cut at signs where people would cut, and the
 * sign that follows it. Null where the value does not stand in the body. Boundaries that hold digits are avoided,
 * because those are most likely to change from one visit to the next.
 */
export function boundariesFor(body: string, value: string): Extractor | null {
  const at = body.indexOf(value);
  if (at < 0) return null;
  const end = at + value.length;
  const right = body.slice(end, end + 1);
  if (right === '' || value.includes(right)) return null;
  let best: Extractor | null = null;
  for (let length = 3; length <= 60 && length <= at; length++) {
    const left = body.slice(at - length, at);
    const extractor: Extractor = { kind: 'between', left, right, nth: 0 };
    const [first] = matchesOf(extractor, new ResponseView(200, [], body));
    if (first !== value) continue;
    const startsWell = /^[\s"'<>{,;([&?/]/.test(left);
    best ??= extractor;
    if (startsWell && /[A-Za-z]{3}/.test(left) && !/\d/.test(left)) return extractor;
  }
  return best;
}
