import { figuresOf, isLoopback, readOpenMetrics, type Exposition, type Reading, type Watch } from '@sturdy/core';
import { machineFiguresNow } from './machine-helper.js';

/** An exposition that is larger is not read. */
const mostBytes = 8 << 20;
const limitMs = 3000;

/** Asks a host for its figures. Throws a sentence that says what is wrong and what to do. */
export async function askHost(url: string): Promise<Exposition> {
  if (!isLoopback(url)) throw new Error(`${url} is not on this machine, so it was not asked.`);
  let text = '';
  try {
    const answer = await fetch(url, {
      headers: { Accept: 'application/openmetrics-text; version=1.0.0, text/plain; version=0.0.4' },
      // A redirect could lead off this machine.
      redirect: 'manual',
      signal: AbortSignal.timeout(limitMs),
    });
    if (answer.status !== 200) throw new Error(`It answered ${answer.status}. Give the address at which its figures are.`);
    const decoder = new TextDecoder();
    const body: AsyncIterable<Uint8Array> | Iterable<Uint8Array> = answer.body ?? [];
    for await (const piece of body) {
      text += decoder.decode(piece, { stream: true });
      if (text.length > mostBytes) throw new Error(`It sent more than ${mostBytes >> 20} MB, which was not read.`);
    }
  } catch (error) {
    const reason = error instanceof Error ? error.message : String(error);
    throw new Error(
      reason.startsWith('It ')
        ? `${url}: ${reason}`
        : `${url} did not give its figures: ${reason || 'it could not be reached'}. Is it running there?`,
      { cause: error },
    );
  }
  const read = readOpenMetrics(text);
  if (read.samples.length === 0)
    throw new Error(`${url} answered, but not with OpenMetrics text: ${read.problems[0]?.text ?? 'it is empty.'}`);
  return read;
}

/** Reads the figures of watches, and remembers the reading before, because rates need it. */
export class HostReader {
  readonly #before = new Map<string, Reading>();

  async read(watch: Watch): Promise<{ values: Record<string, number | null>; problem: string | null }> {
    try {
      if (watch.kind === 'machine') return { values: await machineFiguresNow(), problem: null };
      const { samples } = await askHost(watch.url);
      const now: Reading = { atMs: performance.now(), samples };
      const values = figuresOf(watch.shown, now, this.#before.get(watch.id) ?? null);
      this.#before.set(watch.id, now);
      return { values, problem: null };
    } catch (error) {
      // After a gap a counter says nothing of the time within it.
      this.#before.delete(watch.id);
      return { values: {}, problem: error instanceof Error ? error.message : String(error) };
    }
  }
}

/** Reads watches on their intervals while a run lasts. A host that is slow or gone never holds up the others. */
export class HostWatcher {
  readonly #reader = new HostReader();
  readonly #timers: NodeJS.Timeout[] = [];
  #ended = false;

  constructor(
    watches: readonly Watch[],
    /** When seconds begin to be counted (`performance.now()`); what is read before is of no second. */
    readonly startedMs: number,
    readonly tell: (point: { watch: string; second: number; values: Record<string, number | null>; problem: string | null }) => void,
  ) {
    for (const watch of watches) {
      let busy = false;
      const read = async () => {
        if (busy) return;
        busy = true;
        const second = Math.floor((performance.now() - this.startedMs) / 1000);
        const reading = await this.#reader.read(watch);
        busy = false;
        if (!this.#ended && second >= 0) this.tell({ watch: watch.id, second, ...reading });
      };
      void read();
      this.#timers.push(setInterval(() => void read(), watch.everySeconds * 1000));
    }
  }

  end(): void {
    this.#ended = true;
    for (const timer of this.#timers) clearInterval(timer);
  }
}
