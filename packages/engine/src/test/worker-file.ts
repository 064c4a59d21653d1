import { resolve } from 'node:path';
import { pathToFileURL } from 'node:url';

/** The built worker: Jest runs the sources, but a worker thread needs a file. */
export const generatorWorkerFile = pathToFileURL(resolve('packages/engine/dist/generator/generator.worker.js'));
