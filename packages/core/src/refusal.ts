/**
 * What was asked cannot be done, for a reason that the sentence tells to whoever asked: what, where, and what to do. Any other error is a fault of
 * the program or of what it stands on. Threads keep the name of an error and not its class, so it is known by its name.
 */
export class Refusal extends Error {
  override readonly name = 'Refusal';
}

/** True for a refusal, also one that came from another thread. */
export const isRefusal = (error: unknown): error is Error => error instanceof Error && error.name === 'Refusal';
