import type { Found } from '../../answers/text-matches.js';

/** Of what was found in a text, that whose line holds another text; a line ends at a break, also one that is written as \\n in a script. */
export function besideInText(found: Found[], body: string, beside: string | undefined): Found[] {
  if (beside === undefined) return found;
  const spellings = [beside, JSON.stringify(beside).slice(1, -1), JSON.stringify(JSON.stringify(beside).slice(1, -1)).slice(1, -1)];
  return found.filter(({ start, end }) => {
    const line = lineAround(body, start, end);
    return spellings.some((text) => line.includes(text));
  });
}

const longestLine = 20_000;

function lineAround(body: string, start: number, end: number): string {
  const from = Math.max(start - longestLine, body.lastIndexOf('\n', start - 1) + 1, body.lastIndexOf('\\n', start - 1) + 2, 0);
  const breaks = [body.indexOf('\n', end), body.indexOf('\\n', end)].filter((at) => at >= 0);
  return body.slice(from, Math.min(end + longestLine, body.length, ...breaks));
}
