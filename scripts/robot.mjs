// A scripted user of Tidewell Yard: plays transactions in Chromium through the recording proxy and marks them.
// usage: node scripts/robot.mjs [--product URL] [--yard URL] [--take NAME] [--transactions a,b,c] [--container NUMBER] [--bay N] [--project ID] [--join]
// Transactions: sign-in, book-intake, allocate-bay, inspect-load, find-intake, release-load, sign-out.
// Records one whole take through the product's API: start, play, stop.
import { parseArgs } from 'node:util';
import { checkDigit, playYardRobot } from '../packages/standins/dist/index.js';

const { values } = parseArgs({
  options: {
    product: { type: 'string', default: 'http://127.0.0.1:4300' },
    yard: { type: 'string', default: 'http://127.0.0.1:4701' },
    take: { type: 'string', default: 'Book intake, by robot' },
    container: { type: 'string' },
    bay: { type: 'string', default: '1' },
    project: { type: 'string', default: 'p1' },
    transactions: { type: 'string', default: 'sign-in,book-intake,allocate-bay,release-load,sign-out' },
    /** Do not start or stop a take: one is being recorded by hand. */
    join: { type: 'boolean', default: false },
  },
});

async function ask(method, path, body) {
  const answer = await fetch(`${values.product}/api${path}`, {
    method,
    headers: { 'Content-Type': 'application/json' },
    ...(body ? { body: JSON.stringify(body) } : {}),
  });
  const result = await answer.json();
  if (!answer.ok) throw new Error(result.detail);
  return result;
}

const firstTen = `TWCU${String(Math.floor(Math.random() * 1e6)).padStart(6, '0')}`;
const container = values.container ?? firstTen + checkDigit(firstTen);
const proxy = values.join
  ? (await ask('GET', '/live')).recording?.proxy
  : (await ask('POST', `/projects/${values.project}/takes/record`, { name: values.take })).proxy;
if (!proxy) throw new Error('Nothing is being recorded. Press “Start recording” first, or leave out --join.');
try {
  const { intakeNumber } = await playYardRobot({
    origin: values.yard,
    proxy,
    transactions: values.transactions.split(','),
    container,
    bayChoice: Number(values.bay),
    mark: (kind, name) => ask('POST', '/takes/record/marks', { kind, text: name }),
  });
  process.stdout.write(`The robot booked container ${container} as ${intakeNumber}.\n`);
} finally {
  if (!values.join) await ask('POST', '/takes/record/stop');
}
