import type { LeasedRow } from './messages.js';

/** What an answer to a lease says of the rows that are left. */
export type MoreRows = 'perhaps' | 'none-left' | 'not-now';

/** After an answer that no rows can be leased now it is asked again after so many ms. */
const askAgainMs = 500;

/** Rows of one table that were leased to this generator; asks for more before they run out. */
export class RowSupply {
  readonly #free: LeasedRow[] = [];
  readonly #waiting: ((row: LeasedRow | null) => void)[] = [];
  /** Rows that were asked for and have not come. */
  #asked = 0;
  #settled: (() => void) | null = null;
  #empty = false;
  #waits = true;
  #askingAgain: NodeJS.Timeout | null = null;

  constructor(
    readonly block: number,
    readonly ask: (count: number) => void,
  ) {}

  /** The next row; null once the table has none left. */
  deal(): Promise<LeasedRow | null> {
    const row = this.#free.shift();
    this.#refill();
    if (row) return Promise.resolve(row);
    if (this.#empty) return Promise.resolve(null);
    return new Promise((done) => this.#waiting.push(done));
  }

  /** Takes in the answer to a lease. */
  arrive(rows: readonly LeasedRow[], more: MoreRows): void {
    this.#empty ||= more === 'none-left';
    this.#asked = 0;
    this.#free.push(...rows);
    this.#settled?.();
    while (this.#waiting.length > 0 && this.#free.length > 0) this.#waiting.shift()?.(this.#free.shift() ?? null);
    if (this.#empty && this.#free.length === 0) for (const waiting of this.#waiting.splice(0)) waiting(null);
    if (more === 'not-now' && !this.#waits) this.#goWithout();
    else if (more === 'not-now')
      this.#askingAgain ??= setTimeout(() => {
        this.#askingAgain = null;
        this.#refill();
      }, askAgainMs);
    this.#refill();
  }

  /** From now on nobody waits for rows that cannot be leased now. */
  waitNoLonger(): void {
    this.#waits = false;
    if (this.#askingAgain) this.#goWithout();
  }

  /** Nobody waits any more, not even for rows that are on their way: what was asked may never be answered. */
  abandon(): void {
    this.#goWithout();
  }

  /** Resolves once no rows are on their way, or after so many ms. Nothing is dealt any more then. */
  async settled(atMostMs: number): Promise<void> {
    if (this.#asked === 0) return;
    await new Promise<void>((done) => {
      const timer = setTimeout(done, atMostMs);
      this.#settled = () => {
        clearTimeout(timer);
        done();
      };
    });
  }

  /** Rows that were leased but never dealt. */
  unused(): number[] {
    return this.#free.splice(0).map(({ row }) => row);
  }

  #goWithout(): void {
    this.#empty = true;
    if (this.#askingAgain) clearTimeout(this.#askingAgain);
    this.#askingAgain = null;
    for (const waiting of this.#waiting.splice(0)) waiting(null);
  }

  #refill(): void {
    if (this.#empty || this.#asked > 0 || this.#askingAgain) return;
    const wanted = this.#waiting.length + (this.#free.length === 0 ? 1 : 0);
    if (wanted === 0) return;
    this.#asked = Math.max(this.block, wanted);
    this.ask(this.#asked);
  }
}
