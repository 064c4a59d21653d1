import type { Response } from 'express';
import { LiveHub } from './live-hub.js';

/** Somebody who listens, and what they heard. */
function listener() {
  const heard: string[] = [];
  const response = { writeHead: () => undefined, write: (text: string) => heard.push(text), on: () => undefined };
  return {
    response: response as unknown as Response,
    told: () => heard.filter((chunk) => chunk.startsWith('event')).map((chunk) => chunk.split('data: ')[1]?.trim()),
  };
}

it('who comes to listen hears what was kept for those who come, then what is told', () => {
  const hub = new LiveHub();
  const importing = (rows: number, keeps: number) => {
    hub.tell('tables', 'importing', { rows }, keeps);
  };
  for (let rows = 0; rows < 5; rows++) importing(rows, 3);
  hub.tell('tables', 'step', { step: 'is not kept' });
  const late = listener();
  hub.listen('tables', late.response);
  importing(5, 3);
  expect(late.told()).toEqual([2, 3, 4, 5].map((rows) => JSON.stringify({ rows })));
  const another = listener();
  hub.listen('other tables', another.response);
  expect(another.told()).toEqual([]);
});
