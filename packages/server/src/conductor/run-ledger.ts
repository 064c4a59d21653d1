import type { Frame, HostPoint, Run } from '@sturdy/core';
import type { RunStore } from './run-store.js';

const retryMs = 2000;
/** Frames that wait in memory while nothing can be stored; at two generators these are two hours. */
const mostWaiting = 15_000;

type Entry =
  | { kind: 'frame'; frame: Frame }
  | { kind: 'host'; point: HostPoint }
  | { kind: 'run'; run: Run }
  | { kind: 'other'; write: () => Promise<void> };

/**
 * Writes what a run brings, in the order in which it came. What cannot be stored, because the disk is full or the database does not answer, waits
 * in memory and is tried again; the run goes on meanwhile.
 */
export class RunLedger {
  readonly #waiting: Entry[] = [];
  #writing: Promise<void> | null = null;
  #problem: string | null = null;
  #retry: NodeJS.Timeout | null = null;
  #givenUp = false;
  #lost = 0;

  constructor(
    readonly runId: string,
    readonly store: Pick<RunStore, 'saveFrames' | 'saveHostPoints' | 'saveRun'>,
    /** Told once of a problem, and once of its end. */
    readonly onNote: (text: string) => void,
  ) {}

  frame(frame: Frame): void {
    this.#add({ kind: 'frame', frame });
  }

  host(point: HostPoint): void {
    this.#add({ kind: 'host', point });
  }

  run(run: Run): void {
    // Of a run that changed while nothing could be stored the last state counts.
    const at = this.#waiting.findIndex((entry, index) => entry.kind === 'run' && index > 0);
    if (at > 0) this.#waiting.splice(at, 1);
    this.#add({ kind: 'run', run });
  }

  /** Something else that is to be written in its turn. */
  other(write: () => Promise<void>): void {
    this.#add({ kind: 'other', write });
  }

  /** Resolves once all is stored, however long that takes, or it was given up; with the number of entries that could not be stored. */
  async flushed(): Promise<number> {
    await this.#write();
    while (this.#waiting.length > 0 && !this.#givenUp) {
      await new Promise((go) => setTimeout(go, retryMs));
      await this.#write();
    }
    if (this.#retry) clearTimeout(this.#retry);
    return this.#waiting.length + this.#lost;
  }

  /** Tries no more, because the server stops. */
  giveUp(): void {
    this.#givenUp = true;
  }

  #add(entry: Entry): void {
    if (this.#waiting.length >= mostWaiting) {
      this.#lost++;
      return;
    }
    this.#waiting.push(entry);
    if (this.#problem === null) void this.#write();
  }

  #write(): Promise<void> {
    return (this.#writing ??= this.#writeAll().finally(() => (this.#writing = null)));
  }

  async #writeAll(): Promise<void> {
    while (this.#waiting.length > 0) {
      const [entry] = this.#waiting;
      if (!entry) return;
      try {
        await this.#store(entry);
      } catch (error) {
        this.#failed(error);
        return;
      }
      this.#waiting.splice(this.#waiting.indexOf(entry), 1);
      if (this.#problem !== null) {
        this.#problem = null;
        this.onNote(
          `figures are stored again; ${this.#lost === 0 ? 'nothing was lost' : `${this.#lost.toLocaleString('en')} entries were lost, because no more could wait in memory`}`,
        );
      }
    }
  }

  #store(entry: Entry): Promise<void> {
    switch (entry.kind) {
      case 'frame':
        return this.store.saveFrames(this.runId, [entry.frame]);
      case 'host':
        return this.store.saveHostPoints(this.runId, [entry.point]);
      case 'run':
        return this.store.saveRun(entry.run);
      case 'other':
        return entry.write();
    }
  }

  #failed(error: unknown): void {
    const first = this.#problem === null;
    this.#problem = error instanceof Error ? error.message : String(error);
    if (first) this.onNote(`figures cannot be stored (${reasonOf(this.#problem)}) and wait in memory; make room, and they are stored`);
    this.#retry ??= setTimeout(() => {
      this.#retry = null;
      if (!this.#givenUp) void this.#write();
    }, retryMs);
  }
}

/** The part of a message that says why, without the query and its values. */
function reasonOf(message: string): string {
  const diskFault = /No space left on device|disk quota exceeded|Read-only file system/i.exec(message)?.[0];
  return diskFault ?? message.split('\n')[0]?.slice(0, 120) ?? 'unknown reason';
}
