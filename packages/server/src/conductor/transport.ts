import { Worker } from 'node:worker_threads';
import { FromGeneratorSchema, generatorLimits, generatorWorkerFile, type FromGenerator, type ToGenerator } from '@sturdy/engine';

/** A generator as the conductor sees it, wherever it runs. Messages are plain data with a schema and a version. */
export interface GeneratorLink {
  send: (message: ToGenerator) => void;
  close: () => Promise<void>;
}

/** Starts generators. `receive` gets their messages; a generator that dies sends a fault. */
export interface Transport {
  open: (generator: number, receive: (message: FromGenerator) => void) => GeneratorLink;
}

/** Generators as worker threads of this process. */
export class WorkerThreadTransport implements Transport {
  constructor(readonly workerFile: URL = generatorWorkerFile) {}

  open(generator: number, receive: (message: FromGenerator) => void): GeneratorLink {
    const worker = new Worker(this.workerFile, { workerData: { generator }, resourceLimits: generatorLimits });
    let closing = false;
    worker.on('message', (raw: unknown) => {
      const message = FromGeneratorSchema.safeParse(raw);
      receive(message.success ? message.data : { kind: 'fault', message: `A generator sent what is no message: ${message.error.message}` });
    });
    worker.on('error', (error) => {
      receive({ kind: 'fault', message: `A generator died: ${error.message}` });
    });
    worker.on('exit', () => {
      if (!closing) receive({ kind: 'fault', message: 'A generator ended before the run did.' });
    });
    return {
      send: (message) => {
        worker.postMessage(message);
      },
      close: async () => {
        closing = true;
        await worker.terminate();
      },
    };
  }
}
