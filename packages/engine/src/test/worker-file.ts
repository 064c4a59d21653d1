import { resolve } from 'node:path';
import { pathToFileURL } from 'node:url';

const built = (file: string): URL => pathToFileURL(resolve('packages/engine/dist', file));

/** The built workers: Jest runs the sources, but a worker thread needs a file. */
export const generatorWorkerFile = built('generator/generator.worker.js');
export const sandboxWorkerFile = built('sandbox/sandbox.worker.js');
export const rehearsalWorkerFile = built('play/rehearsal.worker.js');
