/** Why the database does not answer, and since when (ISO 8601). */
export interface DatabaseAway {
  since: string;
  reason: string;
}

/** A call that gave up waiting for the database; nothing of it was done, or it says that it may have been. */
export class DatabaseAwayError extends Error {
  override readonly name = 'DatabaseAwayError';
}

/** What the network, or PostgreSQL's own list (Appendix A of its handbook), calls a server that cannot be reached at the moment. */
const notLetIn = new Set(['ECONNREFUSED', 'ETIMEDOUT', 'EHOSTUNREACH', 'ENETUNREACH', 'ENOTFOUND', 'EAI_AGAIN', '57P03', '53300', '08001']);
const cutOff = new Set(['ECONNRESET', 'EPIPE', '57P01', '57P02', '57P05', '08000', '08003', '08006', '25006']);
const notLetInWords = /timeout exceeded when trying to connect/i;
const cutOffWords = /connection terminated|connection error and is not queryable|the database did not answer within/i;

/** How a call failed for want of a database: it never reached it, or it was cut off in the middle; null for any other error. */
export function awayIn(error: unknown): { reached: boolean; reason: string } | null {
  for (let cause = error; cause instanceof Error; cause = cause.cause) {
    const { code = '', severity = '' } = cause as { code?: string; severity?: string };
    const [inner] = cause instanceof AggregateError ? (cause.errors as unknown[]) : [];
    // An address may stand for several, each with an error of its own.
    if (inner !== undefined && cause.cause === undefined) cause.cause = inner;
    const reason = cause.message !== '' ? cause.message : code;
    if (notLetIn.has(code) || notLetInWords.test(cause.message)) return { reached: false, reason };
    if (cutOff.has(code) || cutOffWords.test(cause.message) || severity === 'PANIC') return { reached: true, reason };
  }
  return null;
}

/** Repeated after they were carried out, these would do it twice. */
const onlyOnce = new Set(['changeTable', 'goToVersion']);

const askAgainMs = 500;

const tooLate = (reason: string, since = 'this call began'): DatabaseAwayError =>
  new DatabaseAwayError(
    `The database has not answered since ${since} (${reason}). Nothing of this was stored; do it again when the database is back.`,
  );

/**
 * Calls of the store wait while the database is away, and are made again when it answers: it is restarted, or it hangs. Each waits as long as its
 * caller has patience.
 */
export class Patience {
  #away: DatabaseAway | null = null;
  #returning: Promise<void> | null = null;
  #ended = false;

  constructor(
    /** Resolves where the database answers; may bring it back itself. */
    readonly answers: () => Promise<unknown>,
    /** Told when the database goes away, and null when it answers again. */
    readonly onAway: (away: DatabaseAway | null) => void,
  ) {}

  /** Makes a call; rejects with `DatabaseAwayError` where the database stays away for longer than `patienceMs`. */
  async run<T>(method: string, call: () => Promise<T>, patienceMs: number): Promise<T> {
    const untilMs = performance.now() + patienceMs;
    for (;;) {
      if (this.#away) await this.#answersBy(untilMs);
      try {
        return await call();
      } catch (error) {
        const away = awayIn(error);
        if (!away || this.#ended) throw error;
        this.#goneFor(away.reason);
        // It may answer and fail each time all the same, as one that was made read-only does.
        if (performance.now() >= untilMs) throw tooLate(away.reason);
        if (away.reached && onlyOnce.has(method))
          throw new DatabaseAwayError(
            `The database went away in the middle of the change (${away.reason}). Look whether the change is there before you make it again.`,
          );
      }
    }
  }

  /** Waits no more. */
  end(): void {
    this.#ended = true;
  }

  #goneFor(reason: string): void {
    if (this.#away) return;
    this.#away = { since: new Date().toISOString(), reason };
    this.onAway(this.#away);
    this.#returning = this.#untilItAnswers();
  }

  async #untilItAnswers(): Promise<void> {
    for (let isBack = false; !isBack && !this.#ended;) {
      await new Promise((go) => setTimeout(go, askAgainMs));
      isBack = await this.answers().then(
        () => true,
        () => false,
      );
    }
    this.#away = null;
    this.onAway(null);
  }

  async #answersBy(untilMs: number): Promise<void> {
    const leftMs = Math.max(0, untilMs - performance.now());
    let timer: NodeJS.Timeout | undefined;
    const late = new Promise<true>((done) => (timer = setTimeout(done, leftMs, true)));
    const isLate = await Promise.race([late, this.#returning]);
    clearTimeout(timer);
    if (isLate) throw tooLate(this.#away?.reason ?? 'it was away', this.#away?.since);
  }
}
