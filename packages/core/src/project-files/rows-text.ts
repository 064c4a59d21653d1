import { Refusal } from '../refusal.js';

/** Numbers of rows, in rising order, as a short text: `1-40 57`. */
export function rowsText(rows: readonly number[]): string {
  const spans: [number, number][] = [];
  for (const row of rows) {
    const last = spans.at(-1);
    if (last?.[1] === row - 1) last[1] = row;
    else spans.push([row, row]);
  }
  return spans.map(([from, to]) => (from === to ? String(from) : `${from}-${to}`)).join(' ');
}

/** Numbers of rows out of their text. Throws a refusal where a span cannot be read. */
export function* rowsOfText(text: string): Generator<number> {
  for (const span of text.split(/\s+/).filter(Boolean)) {
    const [, from, to] = /^(\d{1,9})(?:-(\d{1,9}))?$/.exec(span) ?? [];
    if (from === undefined || Number(to ?? from) < Number(from)) throw new Refusal(`“${span}” names no rows. Write them as 1-40 57.`);
    for (let row = Number(from); row <= Number(to ?? from); row++) yield row;
  }
}
