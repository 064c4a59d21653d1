import { envelopeOf, Link, type Envelope, type LinkIdentity } from '../link/index.js';
import { Generator } from './generator.js';
import { ToGeneratorSchema, type FromGenerator, type ToGenerator } from './messages.js';

/**
 * A generator that has not got through to the conductor for so many ms gives up. The conductor believes it lost after a longer time only
 * (`lostAfterMs`), so nobody plays its users twice at a time.
 */
const orphanedAfterMs = 60_000;
/** How often it looks for that, in ms. */
const lookMs = 500;

const EnvelopeSchema = envelopeOf(ToGeneratorSchema);

/** A generator on its end of a link, wherever it runs. */
export interface ServedGenerator {
  /** Takes in what the network brought. Throws where that is no envelope. */
  receive: (raw: unknown) => void;
  close: () => void;
}

/** Has a generator play what a conductor says over a network that may lose what it carries. `carry` hands an envelope to the network. */
export function serveGenerator(
  identity: LinkIdentity,
  carry: (envelope: Envelope<FromGenerator>) => void,
  giveUpAfterMs = orphanedAfterMs,
): ServedGenerator {
  const generator = new Generator((message) => {
    if (message.kind === 'ended') clearInterval(looking);
    link.send(message);
  });
  const link = new Link<FromGenerator, ToGenerator>(identity, carry, (message) => {
    try {
      generator.receive(message);
    } catch (error) {
      link.send({ kind: 'fault', message: error instanceof Error ? error.message : 'The generator failed.' });
    }
  });
  const looking = setInterval(() => {
    if (link.unconfirmedMs < giveUpAfterMs) return;
    clearInterval(looking);
    link.send({ kind: 'fault', message: `It did not get through to the conductor for ${Math.round(giveUpAfterMs / 1000)} s and stopped.` });
    generator.receive({ kind: 'abort' });
  }, lookMs);
  return {
    receive: (raw) => {
      link.receive(EnvelopeSchema.parse(raw));
    },
    close: () => {
      clearInterval(looking);
      link.close();
      generator.receive({ kind: 'abort' });
    },
  };
}
