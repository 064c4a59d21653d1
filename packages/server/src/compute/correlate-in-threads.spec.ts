import { correlate, everything, publishedPatterns, scriptFromTake, type Correlated, type LoadedTake } from '@sturdy/core';
import { form, html, TakeBuilder } from '../../../core/src/test/take-builder.js';
import { answersWorkerFile } from '../shipped/files.js';
import { AnswerHelpers, correlateInThreads } from './correlate-in-threads.js';

const pages = 40;
const rows = Array.from({ length: 1500 }, (_, row) => `<tr><td>Grower</td><td>${row * 7}</td></tr>`).join('\n');
/** A flow of long pages, each with a token that the next request sends; another visit has other tokens. */
function visit(seed: number): LoadedTake {
  const builder = new TakeBuilder();
  for (let page = 0; page < pages; page++) {
    const token = Buffer.from(`${seed} of page ${page}`).toString('base64url').padEnd(24, 'q7');
    builder.add(
      ['GET', `/page/${page}`],
      [200, html, `<form><input type="hidden" name="token" value="${token}"></form><table>${rows}</table>`],
    );
    builder.add(['POST', '/save', form, `token=${token}&note=Lot+kept`], [204, []]);
  }
  return builder.load();
}
const take = visit(31);
const second = visit(47);
const script = scriptFromTake(take, { scriptId: 's', name: 'flow', tidy: everything });
/** Ids are drawn anew by each correlation. */
const decided = (correlated: Correlated) => JSON.stringify(correlated).replace(/[0-9a-f]{8}(?:-[0-9a-f]{4}){3}-[0-9a-f]{12}/g, 'id');
const alone = decided(correlate(script, take, second, publishedPatterns));
const helpers = new AnswerHelpers(answersWorkerFile, 2, 0);
afterAll(() => helpers.close());

describe('correlating with several threads', () => {
  it('decides what one thread decides, and tells how far it is', async () => {
    const progress: number[] = [];
    const onProgress = (done: number, total: number) => progress.push(done / total);
    expect(decided(await correlateInThreads(script, take, second, publishedPatterns, onProgress, helpers))).toBe(alone);
    expect(progress).toEqual([...progress].sort((left, right) => left - right));
    expect(progress.at(-1)).toBe(1);
    expect(correlate(script, take, second).report.handoffs.length).toBeGreaterThan(0);
    // The helpers are there already, and know nothing any more of what was wanted before.
    const otherScript = scriptFromTake(second, { scriptId: 's', name: 'flow', tidy: everything });
    const again = decided(await correlateInThreads(otherScript, second, take, publishedPatterns, undefined, helpers));
    expect(again).toBe(decided(correlate(otherScript, second, take, publishedPatterns)));
  });

  it.each([
    ['ends at once', 'process.exit(1)'],
    ['ends when it is asked', "port.postMessage({ ready: true }); port.on('message', () => process.exit(1))"],
    ['answers with an error', "port.postMessage({ ready: true }); port.on('message', ({ id }) => port.postMessage({ id, error: 'no' }))"],
  ])('reads itself what a helper that %s has not read', async (_, code) => {
    const file = new URL(`data:text/javascript,import { parentPort as port } from 'node:worker_threads'; ${encodeURIComponent(code)}`);
    const failing = new AnswerHelpers(file, 1, 0);
    // The second time such a helper is replaced.
    for (let time = 0; time < 2; time++)
      expect(decided(await correlateInThreads(script, take, second, publishedPatterns, undefined, failing))).toBe(alone);
    await failing.close();
  });
});
