import { appendFileSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { SampleBook, staysOf, type SampleBatch } from '@sturdy/core';
import { readSamples, SampleFiles } from './sample-files.js';

let folder: string;
beforeEach(() => (folder = mkdtempSync(join(tmpdir(), 'sturdy-samples-'))));
afterEach(() => {
  rmSync(folder, { recursive: true, force: true });
});

/** A hundred requests of a generator within one second, each of an iteration of its own. */
function batch(second: number): SampleBatch {
  const book = new SampleBook();
  for (let n = 0; n < 100; n++)
    book.add({
      crew: 'c',
      transaction: 'Book',
      step: 's1',
      atMs: second * 1000 + n * 10,
      durationMs: n,
      firstByteMs: 1,
      bytesIn: 10,
      bytesOut: 5,
      user: n + 1,
      iteration: second + 1,
      status: 200,
      failure: n === 7 ? 'It answered 500.' : null,
    });
  const taken = book.take();
  if (!taken) throw new Error('nothing was collected');
  return taken;
}

describe('files of samples', () => {
  it('hold every request of a run, and what a crash cut off is left out', async () => {
    const files = new SampleFiles(folder);
    for (let second = 0; second < 5; second++) files.keep('r', batch(second), fail);
    await files.end('r');
    const whole = await readSamples(files.path('r'));
    expect(whole?.kept).toEqual({ kept: 500, measured: 500, keepEvery: 1 });
    expect(whole?.table.at(107)).toMatchObject({ atMs: 1070, durationMs: 7, user: 8, iteration: 2, failure: 'It answered 500.' });
    const bytes = readFileSync(files.path('r'));
    writeFileSync(files.path('r'), bytes.subarray(0, bytes.length - 10));
    expect((await readSamples(files.path('r')))?.kept.kept).toBe(400);
    appendFileSync(files.path('none'), '');
    expect(await readSamples(files.path('none'))).toBeNull();
    expect(await readSamples(files.path('never'))).toBeNull();
  });

  it('are thinned above a number, evenly over the whole run, and say so', async () => {
    const files = new SampleFiles(folder, 1000);
    for (let second = 0; second < 40; second++) files.keep('r', batch(second), fail);
    await files.end('r');
    const read = await readSamples(files.path('r'));
    expect(read?.kept).toMatchObject({ measured: 4000, keepEvery: 4 });
    const expected = Array.from({ length: 4000 }, (_, at) => staysOf(4, 1 + (at % 100), 1 + Math.floor(at / 100))).filter(Boolean).length;
    expect(read?.kept.kept).toBe(expected);
    // The first half was written more densely than the second one, and is read as thinly.
    const early = Array.from({ length: expected }, (_, at) => read?.table.at(at)).filter((sample) => (sample?.atMs ?? 0) < 20_000).length;
    expect(Math.abs(early / expected - 0.5)).toBeLessThan(0.08);
  });

  it('say once that the disk does not take them, and the run goes on', async () => {
    const problems: string[] = [];
    const blocked = new SampleFiles(join(folder, 'sub'));
    blocked.keep('x/y', batch(0), (problem) => problems.push(problem));
    blocked.keep('x/y', batch(1), (problem) => problems.push(problem));
    await blocked.end('x/y');
    expect(problems).toEqual([expect.stringMatching(/^Single samples are kept no longer: .*ENOENT/)]);
  });
});

function fail(problem: string): void {
  throw new Error(problem);
}

describe('samples of a run on a disk that takes nothing', () => {
  it('stop nothing, and are told once', async () => {
    const file = join(folder, 'a file');
    writeFileSync(file, '');
    const files = new SampleFiles(join(file, 'samples'));
    const problems: string[] = [];
    for (let second = 0; second < 3; second++) files.keep('r', batch(second), (problem) => problems.push(problem));
    await files.end('r');
    expect(problems).toEqual([expect.stringMatching(/^Single samples are kept no longer: E/)]);
  });
});
