import type { HandoffPattern } from '@sturdy/core';
import { computeWorkerFile } from '../shipped/files.js';
import { ComputeThread } from './compute-thread.js';
import type { Problem } from '../problem/problem.js';
import type { StoredTake } from '../store/repository.js';
import { askersLeave, startCompute } from './compute-client.js';

/** A thread whose methods say what they were asked, stand still, or fail. */
const file = new URL(
  `data:text/javascript,${encodeURIComponent(`
    import { parentPort as port } from 'node:worker_threads';
    const methods = { say: (text) => text, stand: () => { for (;;); }, fail: () => { throw new Error('it failed'); }, die: () => process.exit(1), count: () => globalThis.counted = (globalThis.counted ?? 0) + 1 };
    port.on('message', ({ id, method, args }) => {
      try { port.postMessage({ id, result: methods[method](...args) }); } catch (error) { port.postMessage({ id, error: error.message }); }
    });
    port.postMessage({ ready: true });`)}`,
);
const patient = { limitMs: 20_000 };

describe('a thread that computes', () => {
  const thread = new ComputeThread(file);
  afterAll(() => thread.close());

  it('does one thing after the other, and goes on after one that fails', async () => {
    const asked = [thread.call('say', ['a'], patient), thread.call('fail', [], patient), thread.call('say', ['b'], patient)];
    expect(await Promise.allSettled(asked)).toMatchObject([{ value: 'a' }, { reason: { message: 'it failed' } }, { value: 'b' }]);
  });

  it('ends what takes too long, and does what waits behind it', async () => {
    await thread.call('count', [], patient);
    const stuck = thread.call('stand', [], { limitMs: 200 });
    const behind = thread.call('count', [], patient);
    await expect(stuck).rejects.toMatchObject({ status: 422, detail: expect.stringMatching(/not computed within/) as string });
    // A new thread counts from the beginning.
    expect(await behind).toBe(1);
  });

  it('gives up what nobody waits for any more, whether it runs, waits, or was not asked yet', async () => {
    const left = [new AbortController(), new AbortController(), new AbortController()];
    left[2]?.abort();
    const asked = left.map(({ signal }) => thread.call('stand', [], { limitMs: 60_000, signal }));
    await new Promise((done) => setTimeout(done, 50));
    left[1]?.abort();
    left[0]?.abort();
    for (const result of await Promise.allSettled(asked)) expect(result).toMatchObject({ reason: { status: 499 } });
    expect(await thread.call('say', ['still here'], patient)).toBe('still here');
  });

  it('spares what nobody waits for any more where it has a grace, and ends it after that', async () => {
    const leaving = new AbortController();
    const short = thread.call('say', ['a'], { limitMs: 5000, graceMs: 5000, signal: leaving.signal });
    const long = thread.call('stand', [], { limitMs: 60_000, graceMs: 300, signal: leaving.signal });
    await new Promise((done) => setTimeout(done, 0));
    leaving.abort();
    // What waits still is given up at once, what runs is not.
    await expect(long).rejects.toMatchObject({ status: 499 });
    expect(await short).toBe('a');
    const running = new AbortController();
    const standing = thread.call('stand', [], { limitMs: 60_000, graceMs: 300, signal: running.signal });
    setTimeout(() => {
      running.abort();
    }, 50);
    await expect(standing).rejects.toMatchObject({ status: 499 });
    expect(await thread.call('say', ['b'], { limitMs: 5000 })).toBe('b');
  });

  it('goes on with another thread where one has ended by itself', async () => {
    await expect(thread.call('die', [], patient)).rejects.toThrow('has ended');
    expect(await thread.call('say', ['again'], patient)).toBe('again');
  });

  it('says where it cannot start', async () => {
    const none = new ComputeThread(new URL('data:text/javascript,throw new Error("no room")'));
    await expect(none.ready()).rejects.toThrow('no room');
    await expect(none.call('say', [], patient)).rejects.toThrow('no room');
  });
});

const nothingRecorded: StoredTake = {
  take: { id: 't', projectId: 'p', name: 'T', startedAt: '2026-11-23T10:00:00.000Z', state: 'done', marks: [], harLog: null },
  exchanges: [],
  bodies: {},
  bytes: {},
};

describe('computing for a screen', () => {
  const wrongPattern: HandoffPattern = {
    id: 'p',
    name: 'P',
    about: '',
    enabled: true,
    sent: { in: [], name: '', value: '(' },
    received: { in: [], name: '', afterChange: false },
    decision: 'leave',
  };

  it('is ended where it takes too long or its asker leaves, while runs and rehearsals are judged', async () => {
    const { compute, close } = await startCompute(computeWorkerFile, { screenMs: 400, workMs: 60_000 });
    try {
      // Twenty thousand keys are each compared with all others.
      const heavy = `patterns: 1\nlist:\n${Array.from({ length: 60_000 }, (_, at) => `  key${at}: 1`).join('\n')}\n`;
      const reading = expect(compute.readPatterns(heavy)).rejects.toMatchObject({ title: 'It takes too long' });
      expect(await compute.lanes([])).toEqual([]);
      await reading;
      const leaving = new AbortController();
      const left = askersLeave.run(leaving.signal, () => compute.readPatterns(heavy));
      leaving.abort();
      await expect(left).rejects.toMatchObject({ status: 499 });
      expect(await compute.readPatterns('patterns: 1\nlist: []')).toEqual({ list: [] });
      // Figures of a run are given up too when nobody looks at them any more; a verdict is not.
      expect(await askersLeave.run(AbortSignal.abort(), () => compute.lanes([]).catch((error: unknown) => (error as Problem).status))).toBe(
        499,
      );
      expect(await askersLeave.run(AbortSignal.abort(), () => compute.survey(nothingRecorded))).toMatchObject({
        played: 0,
      });
      await expect(compute.patternProblem(wrongPattern)).resolves.not.toBeNull();
    } finally {
      await close();
    }
  });
});
