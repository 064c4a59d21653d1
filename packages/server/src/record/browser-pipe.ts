import type { ChildProcess } from 'node:child_process';
import type { Readable, Writable } from 'node:stream';

/** A message of the Chrome DevTools Protocol. */
interface Frame {
  id?: number;
  method?: string;
  params?: Record<string, unknown>;
  result?: Record<string, unknown>;
  sessionId?: string;
}

/**
 * Talks to a browser that was started with `--remote-debugging-pipe`: JSON messages that end with a zero byte, on its third and
 * fourth file. Nothing listens on a port, so nobody else can steer the browser.
 */
export class BrowserPipe {
  readonly #out: Writable;
  readonly #asked = new Map<number, (result: Record<string, unknown> | null) => void>();
  #next = 0;

  constructor(browser: ChildProcess, heard: (method: string, params: Record<string, unknown>, sessionId: string | undefined) => void) {
    this.#out = browser.stdio[3] as Writable;
    const input = browser.stdio[4] as Readable;
    let rest = '';
    input.setEncoding('utf8');
    input.on('data', (chunk: string) => {
      const parts = (rest + chunk).split('\0');
      rest = parts.pop() ?? '';
      for (const part of parts) {
        const frame = JSON.parse(part) as Frame;
        if (frame.method !== undefined) heard(frame.method, frame.params ?? {}, frame.sessionId);
        else if (frame.id !== undefined) this.#answered(frame.id, frame.result ?? null);
      }
    });
    const nobodyAnswers = () => {
      for (const id of [...this.#asked.keys()]) this.#answered(id, null);
    };
    this.#out.on('error', nobodyAnswers);
    input.on('error', nobodyAnswers);
    input.on('close', nobodyAnswers);
  }

  send(method: string, params: Record<string, unknown>, sessionId?: string): void {
    if (this.#out.destroyed) return;
    this.#out.write(`${JSON.stringify({ id: ++this.#next, method, params, ...(sessionId === undefined ? {} : { sessionId }) })}\0`);
  }

  /** Sends a command and resolves with its result; null where it failed, or the browser is gone. */
  ask(method: string, params: Record<string, unknown>, sessionId?: string): Promise<Record<string, unknown> | null> {
    if (this.#out.destroyed) return Promise.resolve(null);
    return new Promise((answered) => {
      this.#asked.set(this.#next + 1, answered);
      this.send(method, params, sessionId);
    });
  }

  #answered(id: number, result: Record<string, unknown> | null): void {
    this.#asked.get(id)?.(result);
    this.#asked.delete(id);
  }
}
