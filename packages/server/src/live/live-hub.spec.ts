import type { Response } from 'express';
import { LiveHub } from './live-hub.js';

/** Somebody who listens, and what they heard. */
function listener() {
  const heard: string[] = [];
  const response = { writeHead: () => undefined, write: (text: string) => heard.push(text), on: () => undefined };
  return {
    response: response as unknown as Response,
    told: () => heard.filter((one) => one.startsWith('event')).map((one) => one.split('data: ')[1]?.trim()),
  };
}

it('who comes to listen hears what was kept for those who come, then what is told', () => {
  const hub = new LiveHub();
  for (let second = 0; second < 5; second++) hub.tell('run', 'second', second, 3);
  hub.tell('run', 'note', 'is not kept');
  const late = listener();
  hub.listen('run', late.response);
  hub.tell('run', 'second', 5, 3);
  expect(late.told()).toEqual(['2', '3', '4', '5']);
  const other = listener();
  hub.listen('other run', other.response);
  expect(other.told()).toEqual([]);
});
