import { textShape } from '../take/messages.js';
import type { RequestStep } from '../actions/http/request.schema.js';

/** How values would stand in the shape of a title, where they could be told from chance there. */
export const titleWords = (values: Iterable<string>): Set<string> =>
  new Set([...new Set(values)].map(textShape).filter((shape) => shape.length >= 3));

/** What moves in requests moves in the titles of pages too: the name of a thing that is made anew each time. */
export function maskTitle(step: RequestStep, moving: ReadonlySet<string>): RequestStep {
  let { title } = step.expect;
  if (title === null) return step;
  for (const word of moving) if (title.includes(word)) title = title.split(word).join('*');
  return title === step.expect.title ? step : { ...step, expect: { ...step.expect, title } };
}
