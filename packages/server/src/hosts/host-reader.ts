import { get as httpGet } from 'node:http';
import { get as httpsGet } from 'node:https';
import type { LookupFunction } from 'node:net';
import { addressOrigin, figuresOf, readOpenMetrics, type Exposition, type Reading, type Watch } from '@sturdy/core';
import { lookupWithin, type Reach } from '../environments/reach.js';
import { machineFiguresNow } from './machine-helper.js';

/** An exposition that is larger is not read. */
const mostBytes = 8 << 20;
const limitMs = 3000;

/** The text that an address answers with. Rejects with a sentence that begins with “It” where that is no figures. */
function textOf(url: string, lookup: LookupFunction): Promise<string> {
  const get = new URL(url).protocol === 'https:' ? httpsGet : httpGet;
  return new Promise((done, failed) => {
    const asked = get(
      url,
      {
        headers: { Accept: 'application/openmetrics-text; version=1.0.0, text/plain; version=0.0.4' },
        signal: AbortSignal.timeout(limitMs),
        // Each time a connection of its own, so that each is looked up.
        agent: false,
        lookup,
      },
      (answer) => {
        const refuse = (reason: string) => {
          asked.destroy();
          failed(new Error(reason));
        };
        // A redirect is not followed: it could lead elsewhere.
        if (answer.statusCode !== 200) {
          refuse(`It answered ${answer.statusCode ?? 'without a status'}. Give the address at which its figures are.`);
          return;
        }
        let text = '';
        answer.setEncoding('utf8');
        answer.on('data', (piece: string) => {
          text += piece;
          if (text.length > mostBytes) refuse(`It sent more than ${mostBytes >> 20} MB, which was not read.`);
        });
        answer.on('end', () => {
          done(text);
        });
        answer.on('error', failed);
      },
    );
    asked.on('error', failed);
  });
}

/** Asks a host for its figures, where the project may reach it. Throws a sentence that says what is wrong and what to do. */
export async function askHost(url: string, reach: Reach): Promise<Exposition> {
  const lookup = lookupWithin(reach, addressOrigin(url) ?? url);
  const text = await textOf(url, lookup).catch((error: unknown) => {
    const reason = error instanceof Error ? error.message : String(error);
    throw new Error(
      reason.startsWith('It ')
        ? `${url}: ${reason}`
        : `${url} did not give its figures: ${reason || 'it could not be reached'}. Is it running there?`,
      { cause: error },
    );
  });
  const read = readOpenMetrics(text);
  if (read.samples.length === 0)
    throw new Error(`${url} answered, but not with OpenMetrics text: ${read.problems[0]?.text ?? 'it is empty.'}`);
  return read;
}

/** Reads the figures of watches, and remembers the reading before, because rates need it. */
export class HostReader {
  readonly #before = new Map<string, Reading>();

  async read(watch: Watch, reach: Reach): Promise<{ values: Record<string, number | null>; problem: string | null }> {
    try {
      if (watch.kind === 'machine') return { values: await machineFiguresNow(), problem: null };
      const { samples } = await askHost(watch.url, reach);
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
    reach: Reach,
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
        const reading = await this.#reader.read(watch, reach);
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
