import { Worker } from 'node:worker_threads';
import {
  envelopeOf,
  FromGeneratorSchema,
  generatorLimits,
  generatorWorkerFile,
  Link,
  type Envelope,
  type FromGenerator,
  type LinkIdentity,
  type ToGenerator,
} from '@sturdy/engine';

/** A generator as the conductor sees it, wherever it runs. */
export interface GeneratorLink {
  send: (message: ToGenerator) => void;
  close: () => Promise<void>;
  /** ms since something was heard of it. */
  readonly quietMs: number;
}

/** Starts generators. `receive` gets their messages, each once and in order; a generator that dies sends a fault. */
export interface Transport {
  open: (identity: LinkIdentity, receive: (message: FromGenerator) => void) => GeneratorLink;
}

/** The conductor's end of a network: it carries envelopes to one generator, and may lose them. */
export interface Carrier {
  carry: (envelope: Envelope<ToGenerator>) => void;
  close: () => Promise<void>;
}

/** What starts generators and carries envelopes, such as threads of this process. */
export interface Network {
  /** `receive` gets what came from the generator; `onDeath` hears that it has ended by itself, and why. */
  open: (identity: LinkIdentity, receive: (raw: unknown) => void, onDeath: (why: string) => void) => Carrier;
}

const EnvelopeSchema = envelopeOf(FromGeneratorSchema);

/** Generators over any network: what it loses is sent again, what it doubles is delivered once. */
export class LinkedTransport implements Transport {
  constructor(readonly network: Network) {}

  open(identity: LinkIdentity, receive: (message: FromGenerator) => void): GeneratorLink {
    const link = new Link<ToGenerator, FromGenerator>(
      identity,
      (envelope) => {
        carrier.carry(envelope);
      },
      receive,
    );
    const carrier = this.network.open(
      identity,
      (raw) => {
        const envelope = EnvelopeSchema.safeParse(raw);
        if (envelope.success) link.receive(envelope.data);
        else receive({ kind: 'fault', message: `A generator sent what is no message: ${envelope.error.message}` });
      },
      (why) => {
        receive({ kind: 'fault', message: why });
      },
    );
    return {
      send: (message) => {
        link.send(message);
      },
      close: async () => {
        link.close();
        await carrier.close();
      },
      get quietMs() {
        return link.quietMs;
      },
    };
  }
}

/** Generators as worker threads of this process. */
export class WorkerThreads implements Network {
  constructor(readonly workerFile: URL = generatorWorkerFile) {}

  open(identity: LinkIdentity, receive: (raw: unknown) => void, onDeath: (why: string) => void): Carrier {
    const worker = new Worker(this.workerFile, { workerData: identity, resourceLimits: generatorLimits });
    let closing = false;
    worker.on('message', receive);
    worker.on('error', (error) => {
      onDeath(`A generator died: ${error.message}`);
    });
    worker.on('exit', () => {
      if (!closing) onDeath('A generator ended before the run did.');
    });
    return {
      carry: (envelope) => {
        worker.postMessage(envelope);
      },
      close: async () => {
        closing = true;
        await worker.terminate();
      },
    };
  }
}
