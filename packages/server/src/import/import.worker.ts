import { parentPort } from 'node:worker_threads';
import { HarStream, type Exchange } from '@sturdy/core';
import { storedBody, type StoredBody } from '../store/stored-body.js';

/** What the import thread says; each batch is answered before the next pieces are read, so that memory stays small. */
export type FromImport =
  | { kind: 'taken' }
  | { kind: 'batch'; exchanges: Exchange[]; bodies: StoredBody[] }
  | { kind: 'end'; end: ReturnType<HarStream['end']> }
  | { kind: 'failed'; reason: string };
export type ToImport = { kind: 'piece'; bytes: Uint8Array } | { kind: 'end' };

const port = parentPort;
if (!port) throw new Error('This file runs in a worker thread only.');

const batchExchanges = 200;
const batchBytes = 4 << 20;

let exchanges: Exchange[] = [];
let bodies = new Map<string, StoredBody>();
let waitingBytes = 0;

const say = (message: FromImport): void => {
  port.postMessage(message);
};
const flush = (): void => {
  if (exchanges.length === 0) return;
  say({ kind: 'batch', exchanges, bodies: [...bodies.values()] });
  exchanges = [];
  bodies = new Map();
  waitingBytes = 0;
};

const stream = new HarStream(
  {
    put: (bytes, mimeType) => {
      const { stored, ref } = storedBody(bytes, mimeType);
      if (!bodies.has(ref.hash)) waitingBytes += bytes.length;
      bodies.set(ref.hash, stored);
      return ref;
    },
  },
  (exchange) => {
    exchanges.push(exchange);
    if (exchanges.length >= batchExchanges || waitingBytes >= batchBytes) flush();
  },
);

port.on('message', (message: ToImport) => {
  try {
    if (message.kind === 'piece') {
      stream.write(message.bytes);
      say({ kind: 'taken' });
      return;
    }
    const end = stream.end();
    flush();
    say({ kind: 'end', end });
  } catch (error) {
    say({ kind: 'failed', reason: error instanceof Error ? error.message : String(error) });
  }
});
