import { textShape } from '../take/messages.js';
import type { RequestStep } from './script.schema.js';

/** What moves in requests moves in the titles of pages too: the name of a thing that is made anew each time. */
export function maskTitle(step: RequestStep, moving: Iterable<string>): RequestStep {
  let { title } = step.expect;
  if (title === null) return step;
  for (const value of moving) {
    const shape = textShape(value);
    if (shape.length >= 3 && title.includes(shape)) title = title.split(shape).join('*');
  }
  return title === step.expect.title ? step : { ...step, expect: { ...step.expect, title } };
}
