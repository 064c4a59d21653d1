// Runs inputs one after the other and notes in shared memory which one it is at, so that one that never ends is known.
import { parentPort, workerData } from 'node:worker_threads';
import { mutated } from './mutate.mjs';
import { targets } from './targets.mjs';

const { seed, at, slowMs } = workerData;
/** Errors of the language itself: nobody wrote a sentence for them. */
const isOwnSentence = (error) =>
  error instanceof Error && !/^(Type|Range|Reference|Syntax|URI|Internal)Error$/.test(error.constructor.name);
/** The least time of the processor that it takes, in ms. What is slow by itself is slow each time; a machine that is shared makes anything slow now and then. */
function timeOf(play) {
  let leastMs = Infinity;
  for (let round = 0; round < 3 && leastMs > slowMs; round++) {
    const before = process.cpuUsage();
    play();
    leastMs = Math.min(leastMs, process.cpuUsage(before).user / 1000);
  }
  return leastMs;
}
parentPort.on('message', ({ target, from, to }) => {
  const { seeds, run } = targets[target];
  for (let number = from; number < to; number++) {
    Atomics.store(at, 0, number);
    const input = mutated(seeds, `${seed} ${target} ${number}`);
    const tookMs = timeOf(() => {
      try {
        run(input);
      } catch (error) {
        if (!isOwnSentence(error))
          parentPort.postMessage({ kind: 'find', number, what: `${error?.stack ?? error}`.split('\n').slice(0, 4).join(' | ') });
      }
    });
    if (tookMs > slowMs)
      parentPort.postMessage({ kind: 'find', number, what: `took ${Math.round(tookMs)} ms of the processor for ${input.length} signs` });
  }
  parentPort.postMessage({ kind: 'done', memory: process.memoryUsage().heapUsed });
});
