import type { BrowserContext, Request } from 'playwright-core';

/** Requests that stay open by their nature, or for longer than this many ms, are not waited for. */
const endless = ['eventsource', 'websocket'];
const longPollMs = 3000;

/** Knows which requests of a browser are under way. */
export class NetworkQuiet {
  readonly #open = new Map<Request, number>();
  #lastChange = performance.now();

  constructor(context: BrowserContext) {
    context.on('request', (request) => {
      if (endless.includes(request.resourceType())) return;
      this.#open.set(request, performance.now());
      this.#lastChange = performance.now();
    });
    const over = (request: Request): void => {
      if (this.#open.delete(request)) this.#lastChange = performance.now();
    };
    context.on('requestfinished', over);
    context.on('requestfailed', over);
  }

  /** Resolves once nothing was under way for so long, at the latest after `atMostMs`; says whether it grew quiet. */
  async reached(quietMs: number, atMostMs: number): Promise<boolean> {
    const from = performance.now();
    for (;;) {
      const now = performance.now();
      const isBusy = [...this.#open.values()].some((since) => now - since < longPollMs);
      if (!isBusy && now - Math.max(this.#lastChange, from) >= quietMs) return true;
      if (now - from >= atMostMs) return false;
      await new Promise((go) => setTimeout(go, 25));
    }
  }
}
