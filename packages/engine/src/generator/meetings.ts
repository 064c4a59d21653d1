/** How the users of one generator wait at meeting points, until the conductor lets them go on or their time is over. */
export class Meetings {
  readonly #waiting = new Map<string, () => void>();
  #count = 0;
  #isOpen = false;

  constructor(
    /** Begins the names of those who wait here, so that they differ from those of other generators. */
    readonly prefix: string,
    readonly came: (step: string, who: string, users: number) => void,
    readonly left: (step: string, who: string) => void,
  ) {}

  /** Resolves once `users` have come to this step, after `atMostMs` at the latest. */
  meet(step: string, users: number, atMostMs: number): Promise<void> {
    if (this.#isOpen) return Promise.resolve();
    const who = `${this.prefix}:${++this.#count}`;
    return new Promise((done) => {
      const timer = setTimeout(() => {
        this.left(step, who);
        this.go([who]);
      }, atMostMs);
      this.#waiting.set(who, () => {
        clearTimeout(timer);
        done();
      });
      this.came(step, who, users);
    });
  }

  /** Lets those go on who wait here. */
  go(who: readonly string[]): void {
    for (const visitor of who) {
      this.#waiting.get(visitor)?.();
      this.#waiting.delete(visitor);
    }
  }

  /** Lets everybody through from now on: the run ends. */
  open(): void {
    this.#isOpen = true;
    this.go([...this.#waiting.keys()]);
  }
}
