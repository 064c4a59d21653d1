/** Meeting points of a whole run: who comes waits until enough have come from all generators. Knows only who waits, not how. */
export class MeetingPoints {
  readonly #waiting = new Map<string, Set<string>>();

  /** Somebody came to a step where `users` are to meet. Gives all that go on now; none where they still wait. */
  come(step: string, who: string, users: number): string[] {
    const waiting = this.#waiting.get(step) ?? new Set();
    waiting.add(who);
    if (waiting.size < users) {
      this.#waiting.set(step, waiting);
      return [];
    }
    this.#waiting.delete(step);
    return [...waiting];
  }

  /** Somebody waits no longer. */
  leave(step: string, who: string): void {
    this.#waiting.get(step)?.delete(who);
  }

  /** Nobody waits any more of whom `gone` holds. */
  forget(gone: (who: string) => boolean): void {
    for (const waiting of this.#waiting.values()) for (const who of [...waiting]) if (gone(who)) waiting.delete(who);
  }
}
