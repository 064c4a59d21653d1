import { createHash } from 'node:crypto';
import { joinSecrets, type Environment } from '@sturdy/core';
import { SealReader } from '../link/index.js';
import { PlanSchema, secretContext, type FromGenerator, type Plan, type ToGenerator } from './messages.js';
import { Pieces } from './pieces.js';

/** What a generator needs to play. */
export interface CompletePlan {
  plan: Plan;
  /** With its secrets. */
  environment: Environment;
  /** Bodies that scripts send as they are, by hash. */
  files: ReadonlyMap<string, Uint8Array>;
}

type PlanMessage = Extract<ToGenerator, { kind: 'plan' | 'body' | 'secret' }>;

/** Puts a plan together out of its pieces, the bodies that its scripts send, and the secrets of its environment, each sealed for this generator. */
export class PlanAssembly {
  readonly #reader = new SealReader();
  readonly #planPieces = new Pieces();
  readonly #bodyPieces = new Map<string, Pieces>();
  readonly #files = new Map<string, Uint8Array>();
  readonly #secrets = new Map<string, string>();
  #plan: Plan | null = null;
  #isComplete = false;

  constructor(readonly send: (message: FromGenerator) => void) {}

  /** Takes in a part. Returns the whole with the last one, and null else. Throws where a part is not what it says it is. */
  async take(message: PlanMessage): Promise<CompletePlan | null> {
    switch (message.kind) {
      case 'plan': {
        const text = this.#planPieces.take(message);
        if (text === null || this.#plan) return null;
        this.#plan = PlanSchema.parse(JSON.parse(text));
        const { files, secrets } = this.#plan;
        if (files.length + secrets.length > 0)
          this.send({ kind: 'wants', bodies: files, secrets, publicKey: await this.#reader.publicKey() });
        break;
      }
      case 'body': {
        const pieces = this.#bodyPieces.get(message.hash) ?? new Pieces();
        this.#bodyPieces.set(message.hash, pieces);
        const text = pieces.take(message);
        if (text === null) return null;
        const bytes = Buffer.from(text, 'base64');
        if (createHash('sha256').update(bytes).digest('hex') !== message.hash)
          throw new Error(`The body ${message.hash.slice(0, 12)}… did not arrive as it was sent.`);
        this.#bodyPieces.delete(message.hash);
        this.#files.set(message.hash, bytes);
        break;
      }
      case 'secret': {
        const plan = this.#plan;
        if (!plan) throw new Error('A secret came before the plan that it belongs to.');
        const context = secretContext({ run: plan.runId, generator: plan.generator }, message.name);
        this.#secrets.set(message.name, await this.#reader.open(message, context));
      }
    }
    return this.#complete();
  }

  #complete(): CompletePlan | null {
    const plan = this.#plan;
    if (!plan || this.#isComplete) return null;
    if (plan.files.some((hash) => !this.#files.has(hash)) || plan.secrets.some((name) => !this.#secrets.has(name))) return null;
    this.#isComplete = true;
    return { plan, environment: joinSecrets(plan.environment, this.#secrets), files: this.#files };
  }
}
