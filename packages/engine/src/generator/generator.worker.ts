import { parentPort, workerData } from 'node:worker_threads';
import type { LinkIdentity } from '../link/index.js';
import { serveGenerator } from './serve-generator.js';

const port = parentPort;
if (!port) throw new Error('This file runs in a worker thread only.');

const served = serveGenerator(workerData as LinkIdentity, (envelope) => {
  port.postMessage(envelope);
});
port.on('message', served.receive);
