import { parentPort } from 'node:worker_threads';
import { Generator } from './generator.js';
import { ToGeneratorSchema } from './messages.js';

const port = parentPort;
if (!port) throw new Error('This file runs in a worker thread only.');

const generator = new Generator((message) => {
  port.postMessage(message);
});
port.on('message', (raw: unknown) => {
  try {
    generator.receive(ToGeneratorSchema.parse(raw));
  } catch (error) {
    port.postMessage({ kind: 'fault', message: error instanceof Error ? error.message : 'The generator failed.' });
  }
});
