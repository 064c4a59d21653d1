import type { Rehearsal, RehearsalCommand, RehearsalWish, Script } from '@sturdy/core';

/** A rehearsal that waits longer than this for the tester ends by itself; it holds connections to the target. */
const longestWaitMs = 30 * 60_000;

/** A rehearsal that is being played, as the tester steers it. */
export class RehearsalUnderWay {
  /** What is known while it waits; null while it plays. */
  waiting: Rehearsal | null = null;
  #steps: boolean;
  #ends = false;
  #resume: (() => void) | null = null;
  #listeners: { done: (rehearsal: Rehearsal) => void; failed: (error: unknown) => void }[] = [];

  constructor(
    readonly wish: RehearsalWish,
    /** False for the rounds of a repair, which go on by themselves. */
    readonly steerable: boolean,
    readonly script: Pick<Script, 'projectId' | 'name'>,
  ) {
    this.#steps = wish.mode === 'step';
  }

  /** What it comes to next: the rehearsal as it is when it waits, or when it has ended. */
  next(): Promise<Rehearsal> {
    return new Promise((done, failed) => this.#listeners.push({ done, failed }));
  }

  /** Asked before each step. `asked` gives what to show while it waits. */
  async gate(played: ReadonlySet<string>, asked: () => Promise<Rehearsal>): Promise<'go' | 'end'> {
    if (this.#ends || (this.wish.until !== null && played.has(this.wish.until))) return 'end';
    if (this.#steps) {
      const waiting = await asked();
      await new Promise<void>((resume) => {
        const limit = setTimeout(() => {
          this.command('end');
        }, longestWaitMs);
        this.#resume = () => {
          clearTimeout(limit);
          this.waiting = null;
          this.#resume = null;
          resume();
        };
        this.waiting = waiting;
        this.#tell(waiting);
      });
    }
    return this.#hasEnded() ? 'end' : 'go';
  }

  /** The tester may have ended it while it waited. */
  #hasEnded(): boolean {
    return this.#ends;
  }

  command(command: RehearsalCommand): void {
    this.#steps = command === 'pause' || command === 'step';
    this.#ends ||= command === 'end';
    if (command !== 'pause') this.#resume?.();
  }

  ended(rehearsal: Rehearsal): void {
    this.#tell(rehearsal);
  }

  failed(error: unknown): void {
    for (const listener of this.#listeners.splice(0)) listener.failed(error);
  }

  #tell(rehearsal: Rehearsal): void {
    for (const listener of this.#listeners.splice(0)) listener.done(rehearsal);
  }
}
