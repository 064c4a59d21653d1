import { randomUUID } from 'node:crypto';
import type { Readable } from 'node:stream';
import { Worker } from 'node:worker_threads';
import type { HarStreamEnd, Take } from '@sturdy/core';
import { Problem } from '../problem/problem.js';
import type { Store } from '../store/store-client.js';
import { unfoldTake } from '../store/unfold-take.js';
import type { FromImport, ToImport } from './import.worker.js';

/** What an import made. */
export interface Imported {
  take: Take;
  exchangeCount: number;
  problems: HarStreamEnd['problems'];
}

/** What a take becomes that an import makes: its name where the file does not say it whole, and an id that others may know already. */
export interface ImportedAs {
  projectId: string;
  name: string;
  id?: string;
  /** The script for which it was put together. */
  madeFor?: string | undefined;
}

/**
 * Imports a HAR file while it is uploaded: pieces go to a thread that reads them, finished exchanges go to the store, and the
 * upload waits where either is slower. An upload that is broken off leaves nothing behind.
 */
export async function importHarStream(
  store: Store,
  worker: URL,
  source: Readable,
  { projectId, name, id = randomUUID(), madeFor }: ImportedAs,
): Promise<Imported> {
  const thread = new Worker(worker, { resourceLimits: { maxOldGenerationSizeMb: 1024 } });
  const open: Take = { id, projectId, name, startedAt: new Date(0).toISOString(), state: 'done', marks: [], harLog: null };
  try {
    // The take is written last: until then nobody sees it, and what a crash leaves of it is cleared away at the next start.
    const end = await pass(store, thread, source, id);
    if (end.renumber) await store.renumberExchanges(id, end.renumber.order, end.renumber.shiftMs);
    const read: Take = { ...open, startedAt: end.startedAt, marks: end.marks, harLog: end.harLog };
    // A file of a project says what the take was; its messages are exchanges already.
    const take: Take = end.whole ? { ...end.whole, id, projectId, state: 'done' } : read;
    delete take.madeFor;
    if (madeFor !== undefined) take.madeFor = madeFor;
    if (!end.whole && (await store.hasMessages(id))) await unfoldTake(store, take, await store.exchanges(id));
    await store.saveTake(take);
    return { take, exchangeCount: end.exchangeCount, problems: end.problems };
  } catch (error) {
    await store.deleteTake(id);
    throw error;
  } finally {
    await thread.terminate();
  }
}

function pass(store: Store, thread: Worker, source: Readable, takeId: string): Promise<HarStreamEnd> {
  return new Promise((done, giveUpWith) => {
    let writes: Promise<unknown> = Promise.resolve();
    let next: (() => void) | null = null;
    let given = false;
    // What is being written is waited for, or it would come after the take has been deleted.
    const failed = (reason: unknown) => {
      given = true;
      const giveUp = () => {
        giveUpWith(reason instanceof Error ? reason : new Error(String(reason)));
      };
      writes.then(giveUp, giveUp);
    };
    const say = (message: ToImport) => {
      thread.postMessage(message);
    };
    thread.on('error', (error) => {
      failed(
        new Problem(422, 'The file cannot be imported', `One entry of it is too large for the memory of this machine (${error.message}).`),
      );
    });
    thread.on('message', (message: FromImport) => {
      if (message.kind === 'batch')
        writes = writes.then(async () => {
          if (given) return;
          await store.putBodies(message.bodies);
          await store.saveExchanges(takeId, message.exchanges);
        });
      // The next piece is read once all that came of the ones before is stored.
      else if (message.kind === 'taken') writes.then(() => next?.(), failed);
      else if (message.kind === 'failed') failed(new Problem(422, 'Not a HAR file', message.reason));
      else writes.then(() => done(message.end), failed);
    });
    void (async () => {
      for await (const piece of source) {
        const taken = new Promise<void>((ready) => (next = ready));
        say({ kind: 'piece', bytes: new Uint8Array(piece as Buffer) });
        await taken;
      }
      say({ kind: 'end' });
    })().catch(() => {
      failed(new Problem(499, 'The upload was broken off', 'The import was cancelled; nothing of it was kept.'));
    });
  });
}
