import { parentPort } from 'node:worker_threads';
import { AnswerReader, MessageView, ResponseView, type ReceivedValue, type WantedData } from '@sturdy/core';
import type { PlainAnswer } from './correlate-in-threads.js';

const port = parentPort;
if (!port) throw new Error('This file runs in a worker thread only.');

let reader: AnswerReader | null = null;

/** What the thread that correlates may ask for. */
const methods = {
  begin: (wanted: WantedData): void => {
    reader = new AnswerReader(wanted);
  },
  read: (answers: PlainAnswer[]): ReceivedValue[][] =>
    answers.map((answer) => {
      if (!reader) throw new Error('Nothing is wanted yet.');
      const { body } = answer;
      return reader.read('type' in answer ? new MessageView(answer.type, body) : new ResponseView(answer.status, answer.headers, body));
    }),
};

port.on('message', ({ id, method, args }: { id: number; method: keyof typeof methods; args: unknown[] }) => {
  try {
    port.postMessage({ id, result: (methods[method] as (...given: unknown[]) => unknown)(...args) });
  } catch (error) {
    port.postMessage({ id, error: error instanceof Error ? error.message : String(error) });
  }
});
port.postMessage({ ready: true });
