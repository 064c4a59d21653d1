import type { HandedSecret } from '@sturdy/core';
import {
  bodyMessages,
  planMessages,
  seal,
  secretContext,
  type FromGenerator,
  type LinkIdentity,
  type Plan,
  type ToGenerator,
} from '@sturdy/engine';

/** What generators ask for in addition to their plans. */
export interface PlanSupplies {
  /** Bodies that scripts send, by hash. */
  files: ReadonlyMap<string, Uint8Array>;
  /** Secrets of the environment. */
  secrets: readonly HandedSecret[];
}

/** Brings a generator its plan in pieces, and then what it asks for: bodies by hash, and secrets one by one, each sealed for it alone. */
export class PlanDelivery {
  constructor(
    readonly identity: LinkIdentity,
    readonly supplies: PlanSupplies,
    readonly send: (message: ToGenerator) => void,
  ) {}

  plan(plan: Plan): void {
    for (const message of planMessages(plan)) this.send(message);
  }

  /** Sends what a generator wants and the run has. Throws where its public key is none. */
  async answer({ bodies, secrets, publicKey }: Extract<FromGenerator, { kind: 'wants' }>): Promise<void> {
    for (const hash of bodies) {
      const bytes = this.supplies.files.get(hash);
      if (bytes) for (const message of bodyMessages(hash, bytes)) this.send(message);
    }
    for (const { name, value } of this.supplies.secrets)
      if (secrets.includes(name))
        this.send({ kind: 'secret', name, ...(await seal(publicKey, value, secretContext(this.identity, name))) });
  }
}
