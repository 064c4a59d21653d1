import type { LeasedRow } from './messages.js';

/** Rows of one table that were leased to this generator; asks for more before they run out. */
export class RowSupply {
  readonly #free: LeasedRow[] = [];
  readonly #waiting: ((row: LeasedRow | null) => void)[] = [];
  #asked = 0;
  #settled: (() => void) | null = null;
  #empty = false;

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

  /** Takes in a lease; fewer rows than asked for say that the table is empty. */
  arrive(rows: readonly LeasedRow[]): void {
    if (rows.length < this.#asked) this.#empty = true;
    this.#asked = 0;
    this.#free.push(...rows);
    this.#settled?.();
    while (this.#waiting.length > 0 && this.#free.length > 0) this.#waiting.shift()?.(this.#free.shift() ?? null);
    if (this.#empty && this.#free.length === 0) for (const waiting of this.#waiting.splice(0)) waiting(null);
    this.#refill();
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
    return this.#free.splice(0).map((one) => one.row);
  }

  #refill(): void {
    if (this.#empty || this.#asked > 0) return;
    const wanted = this.#waiting.length + (this.#free.length === 0 ? 1 : 0);
    if (wanted === 0) return;
    this.#asked = Math.max(this.block, wanted);
    this.ask(this.#asked);
  }
}
