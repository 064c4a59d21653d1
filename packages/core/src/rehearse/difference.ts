import { diffArrays } from 'diff';
import * as z from 'zod';
import { encode } from '../values/encoding.js';
import type { Encoding } from '../values/template.schema.js';
import type { BodyKind } from '../take/messages.js';

/** A value that is another one in two answers for a known reason, such as what a handoff reads. */
export interface MovingValue {
  left: string;
  right: string;
  /** What it is, in words: “the handoff form key”. */
  name: string;
}

/** Lines of two texts laid beside each other. */
export const DifferenceRowSchema = z.object({
  /** `harmless` differ in nothing but what moves from one visit to the next. */
  kind: z.enum(['same', 'harmless', 'differs']),
  left: z.array(z.string()),
  right: z.array(z.string()),
  /** Why it is harmless, in words; empty for the others. */
  why: z.array(z.string()),
});
export type DifferenceRow = z.infer<typeof DifferenceRowSchema>;

/** Values that are made anew on each visit, by their form alone. */
const madeAnew: { name: string; form: RegExp }[] = [
  { name: 'a time', form: /\b\d{4}-\d\d-\d\d[T ]\d\d:\d\d(:\d\d(\.\d+)?)?(Z|[+-]\d\d:?\d\d)?/g },
  { name: 'a time', form: /\b(Mon|Tue|Wed|Thu|Fri|Sat|Sun), \d\d \w{3} \d{4} \d\d:\d\d:\d\d GMT/g },
  { name: 'a time', form: /\b\d{1,2}:\d\d(:\d\d)?\b/g },
  { name: 'a UUID', form: /\b[0-9a-f]{8}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{12}\b/gi },
  { name: 'a token', form: /(?=[\w+/=-]*\d)(?=[\w+/=-]*[A-Za-z])[\w+/-]{16,}={0,2}/g },
  { name: 'a clock', form: /\b1\d{9}(\d{3})?\b/g },
];

/** Above this many lines the comparison gives up looking for what was moved, so that it ends in time. */
const mostEdits = 4000;

/** The lines of a text, cut where its kind has its parts. */
export function linesOf(text: string, kind: BodyKind): string[] {
  if (text === '') return [];
  if (kind === 'json') {
    try {
      return JSON.stringify(JSON.parse(text), null, 2).split('\n');
    } catch {
      return text.split('\n');
    }
  }
  if (kind === 'form') return text.split('&');
  if (kind === 'html' || kind === 'xml') return text.replace(/>\s*</g, '>\n<').split('\n');
  return text.split('\n');
}

/**
 * Lays two texts beside each other by lines (Myers 1986). Lines that differ in nothing but the moving values, or in values that are
 * made anew by their form, are harmless.
 */
export function differenceOf(left: readonly string[], right: readonly string[], moving: readonly MovingValue[]): DifferenceRow[] {
  const masks = [
    new Mask(moving.map((value) => ({ text: value.left, name: value.name }))),
    new Mask(moving.map((value) => ({ text: value.right, name: value.name }))),
  ] as const;
  const masked = [left.map((line) => masks[0].apply(line)), right.map((line) => masks[1].apply(line))] as const;
  const changes = diffArrays<string>([...masked[0]], [...masked[1]], { maxEditLength: mostEdits });
  if (!changes) return [{ kind: 'differs', left: [...left], right: [...right], why: [] }];
  const rows: DifferenceRow[] = [];
  const add = (row: DifferenceRow): void => {
    const last = rows.at(-1);
    if (last?.kind !== row.kind) rows.push(row);
    else {
      last.left.push(...row.left);
      last.right.push(...row.right);
      last.why = [...new Set([...last.why, ...row.why])];
    }
  };
  let [i, j] = [0, 0];
  for (const change of changes) {
    const count = change.value.length;
    if (change.removed) add({ kind: 'differs', left: left.slice(i, (i += count)), right: [], why: [] });
    else if (change.added) add({ kind: 'differs', left: [], right: right.slice(j, (j += count)), why: [] });
    else
      for (let at = 0; at < count; at++, i++, j++) {
        const [leftLine = '', rightLine = ''] = [left[i], right[j]];
        add(
          leftLine === rightLine
            ? { kind: 'same', left: [leftLine], right: [rightLine], why: [] }
            : { kind: 'harmless', left: [leftLine], right: [rightLine], why: masks[0].namesIn(leftLine) },
        );
      }
  }
  return rows;
}

/** A moving value may stand in an answer as it is, or wrapped. */
const wrappings: readonly Encoding[] = ['component', 'component-plus', 'form', 'xml', 'json'];

/** Stands around the names; a sign of the private use area, which no answer holds. */
const mark = '\uE000';

/** Puts names in the place of what moves. */
class Mask {
  readonly #known: { text: string; name: string }[];

  constructor(known: readonly { text: string; name: string }[]) {
    // Short values stand everywhere by chance; long ones go first, because they may hold others.
    this.#known = known
      .filter((knownValue) => knownValue.text.length >= 3)
      .flatMap(({ text, name }) =>
        [...new Set([text, ...wrappings.map((wrapping) => encode(wrapping, text))])].map((wrapped) => ({ text: wrapped, name })),
      )
      .sort((left, right) => right.text.length - left.text.length);
  }

  apply(line: string): string {
    let text = line;
    for (const knownValue of this.#known)
      if (text.includes(knownValue.text)) text = text.replaceAll(knownValue.text, `${mark}${knownValue.name}${mark}`);
    for (const { name, form } of madeAnew) text = text.replace(form, `${mark}${name}${mark}`);
    return text;
  }

  namesIn(line: string): string[] {
    // Names stand between two marks: every second part.
    return [
      ...new Set(
        this.apply(line)
          .split(mark)
          .filter((_, at) => at % 2 === 1),
      ),
    ];
  }
}
