import { existsSync, mkdtempSync, readdirSync, readFileSync, rmSync, statSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { Exchange } from '@sturdy/core';
import fc from 'fast-check';
import { TakeBuilder } from '../../../core/src/test/take-builder.js';
import { recoverJournals, RecordingJournal } from './recording-journal.js';

let folder = '';
beforeEach(() => {
  folder = mkdtempSync(join(tmpdir(), 'sturdy-journal-'));
});
afterEach(() => {
  rmSync(folder, { recursive: true, force: true });
});

const exchange = (n: number): Exchange => {
  const builder = new TakeBuilder();
  for (let at = 0; at < n; at++) builder.add(['GET', `/a\u0000${at}\ud83d`], [200, [['X-Odd', '\udc00']]]);
  return builder.exchanges[n - 1] as Exchange;
};
const body = (n: number) => ({
  hash: `h${n}`,
  mimeType: 'application/octet-stream',
  bytes: Uint8Array.from({ length: n * 700 }, (_, at) => (at * n) % 256),
});

/** What a store is given; it knows the take “t” only. */
function store() {
  const kept = new Map<number, Exchange>();
  const bodies = new Map<string, Uint8Array>();
  return {
    kept,
    bodies,
    take: (id: string) => Promise.resolve(id === 't' ? ({ id } as never) : null),
    putBodies: (given: readonly { hash: string; bytes: Uint8Array }[]) => {
      for (const body of given) bodies.set(body.hash, Uint8Array.from(body.bytes));
      return Promise.resolve();
    },
    saveExchanges: (_id: string, docs: readonly Exchange[]) => {
      for (const doc of docs) kept.set(doc.n, doc);
      return Promise.resolve();
    },
  };
}

describe('the journal of a recording', () => {
  it('gives what was noted to the store of the next start, bytes and odd texts as they were, and is gone then', async () => {
    const journal = new RecordingJournal(folder, 't');
    for (const n of [1, 2, 3]) journal.note(exchange(n), [body(n)]);
    expect(statSync(join(folder, 'journal-t')).mode & 0o777).toBe(0o600);
    const next = store();
    expect(await recoverJournals(folder, next)).toBe(3);
    expect([...next.kept.values()]).toEqual([exchange(1), exchange(2), exchange(3)]);
    expect(next.bodies.get('h3')).toEqual(body(3).bytes);
    expect(readdirSync(folder)).toEqual([]);
    expect(await recoverJournals(join(folder, 'none'), next)).toBe(0);
  });

  it('holds only what the store has not written, and leaves nothing behind once it has ended', async () => {
    const journal = new RecordingJournal(folder, 't');
    journal.note(exchange(1), [body(1)]);
    journal.clear();
    journal.note(exchange(2), []);
    const next = store();
    writeFileSync(join(folder, 'journal-gone'), readFileSync(join(folder, 'journal-t')));
    await recoverJournals(folder, next);
    expect([...next.kept.keys()]).toEqual([2]);
    journal.close();
    expect(existsSync(join(folder, 'journal-t'))).toBe(false);
    journal.note(exchange(3), []);
  });

  it('gives all entries before the one that was cut off or destroyed, wherever that is', async () => {
    const journal = new RecordingJournal(folder, 't');
    const ends: number[] = [];
    for (const n of [1, 2, 3]) {
      journal.note(exchange(n), [body(n)]);
      ends.push(statSync(join(folder, 'journal-t')).size);
    }
    const whole = readFileSync(join(folder, 'journal-t'));
    await fc.assert(
      fc.asyncProperty(fc.nat({ max: whole.length }), fc.uint8Array({ maxLength: 40 }), async (cut, rubbish) => {
        writeFileSync(join(folder, 'journal-t'), Buffer.concat([whole.subarray(0, cut), rubbish]));
        const next = store();
        await recoverJournals(folder, next);
        const entire = ends.filter((end) => end <= cut).length;
        expect([...next.kept.keys()].slice(0, entire)).toEqual([1, 2, 3].slice(0, entire));
        expect(next.kept.size - entire).toBeLessThanOrEqual(1);
      }),
      { numRuns: 150 },
    );
  });
});
