import type { LiveEventData, LiveEventKind } from '@sturdy/core';
import type { Response } from 'express';

/** Topics of which something is kept for those who come later. */
const mostTopics = 3;

/** Server-sent events by topic (HTML standard, 9.2): whoever listens to a topic gets what is told to it. */
export class LiveHub {
  readonly #listeners = new Map<string, Set<Response>>();
  /** What was told last of topics whose listeners have to know what was said a moment before they came. */
  readonly #recent = new Map<string, string[]>();

  /** Keeps the response open and sends it everything that is told to the topic from now on. */
  listen(topic: string, response: Response): void {
    response.writeHead(200, { 'Content-Type': 'text/event-stream', 'Cache-Control': 'no-store', Connection: 'keep-alive' });
    response.write(': listening\n\n');
    const listeners = this.#listeners.get(topic) ?? new Set();
    this.#listeners.set(topic, listeners.add(response));
    for (const text of this.#recent.get(topic) ?? []) response.write(text);
    response.on('close', () => listeners.delete(response));
  }

  /** Tells those who listen; the last `keeps` of what was told so are told to those who come later, too. */
  tell<Kind extends LiveEventKind>(topic: string, kind: Kind, data: LiveEventData<Kind>, keeps = 0): void {
    const listeners = this.#listeners.get(topic);
    if (!listeners?.size && keeps === 0) return;
    const text = `event: ${kind}\ndata: ${JSON.stringify(data)}\n\n`;
    if (keeps > 0) this.#keep(topic, text, keeps);
    for (const listener of listeners ?? []) listener.write(text);
  }

  #keep(topic: string, text: string, most: number): void {
    const kept = [...(this.#recent.get(topic) ?? []), text].slice(-most);
    // The topic that was told of last stands last; those that nobody speaks of any more are forgotten.
    this.#recent.delete(topic);
    this.#recent.set(topic, kept);
    for (const old of [...this.#recent.keys()].slice(0, -mostTopics)) this.#recent.delete(old);
  }

  close(): void {
    for (const listeners of this.#listeners.values()) for (const listener of listeners) listener.end();
  }
}
