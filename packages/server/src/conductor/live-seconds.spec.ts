import type { Frame } from '@sturdy/core';
import { quietFrame } from '../test/frames.js';
import { LiveSeconds, type LiveSecondFrames } from './live-seconds.js';

const frame = (generator: number, second: number) => quietFrame(second, generator);

/** Seconds of so many generators, with what was shown of them: second, generators of all frames, generators of the fresh ones. */
function showing(generators: number) {
  const shown: [number, number[], number[]][] = [];
  const expected = new Set(Array.from({ length: generators }, (_, generator) => generator));
  const of = (frames: readonly Frame[]) => frames.map(({ generator }) => generator);
  const seconds = new LiveSeconds(
    () => [...expected],
    ({ second, frames, fresh, isFirst }: LiveSecondFrames) => {
      expect(isFirst).toBe(fresh.length === frames.length);
      shown.push([second, of(frames), of(fresh)]);
    },
  );
  return { seconds, shown, expected };
}

describe('the seconds of a live run', () => {
  it('are shown once all generators that are waited for have told of them, whatever order they come in', () => {
    const { seconds, shown } = showing(2);
    seconds.add(frame(0, 0));
    seconds.add(frame(0, 1));
    expect(shown).toEqual([]);
    seconds.add(frame(1, 1));
    expect(shown).toEqual([[1, [0, 1], [0, 1]]]);
    seconds.add(frame(1, 0));
    expect(shown.at(-1)).toEqual([0, [0, 1], [0, 1]]);
  });

  it('are shown in order once fewer generators are waited for, and again, with what is new, where a silent one tells later', () => {
    const { seconds, shown, expected } = showing(3);
    for (const second of [1, 0]) for (const generator of [0, 1]) seconds.add(frame(generator, second));
    expected.delete(2);
    seconds.settle();
    expect(shown).toEqual([
      [0, [0, 1], [0, 1]],
      [1, [0, 1], [0, 1]],
    ]);
    // Nothing is shown twice because somebody looks again.
    seconds.settle();
    expect(shown).toHaveLength(2);
    seconds.add(frame(2, 0));
    expect(shown.at(-1)).toEqual([0, [0, 1, 2], [2]]);
  });

  it('are let go of after two minutes: what comes later than that is not shown, and takes no memory', () => {
    const { seconds, shown } = showing(1);
    for (let second = 0; second <= 200; second++) seconds.add(frame(0, second));
    expect(shown).toHaveLength(201);
    seconds.add(frame(7, 80));
    seconds.add(frame(7, 0));
    expect(shown).toHaveLength(201);
    seconds.add(frame(7, 81));
    expect(shown.at(-1)).toEqual([81, [0, 7], [7]]);
  });
});
