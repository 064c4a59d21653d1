import type { Response } from 'express';

/** Server-sent events by topic (HTML standard, 9.2): whoever listens to a topic gets what is told to it. */
export class LiveHub {
  readonly #listeners = new Map<string, Set<Response>>();

  /** Keeps the response open and sends it everything that is told to the topic from now on. */
  listen(topic: string, response: Response): void {
    response.writeHead(200, { 'Content-Type': 'text/event-stream', 'Cache-Control': 'no-store', Connection: 'keep-alive' });
    response.write(': listening\n\n');
    const listeners = this.#listeners.get(topic) ?? new Set();
    this.#listeners.set(topic, listeners.add(response));
    response.on('close', () => listeners.delete(response));
  }

  tell(topic: string, kind: string, data: unknown): void {
    const listeners = this.#listeners.get(topic);
    if (!listeners?.size) return;
    const text = `event: ${kind}\ndata: ${JSON.stringify(data)}\n\n`;
    for (const listener of listeners) listener.write(text);
  }

  close(): void {
    for (const listeners of this.#listeners.values()) for (const listener of listeners) listener.end();
  }
}
