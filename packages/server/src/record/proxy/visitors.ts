import type { RecorderVisitor } from '@sturdy/core';

/** So many are remembered; the one that was seen least recently is forgotten first. */
const mostVisitors = 200;

/** Who uses the recording proxy, by address: since when, with what, and who guessed at its password. */
export class Visitors {
  readonly #known = new Map<string, RecorderVisitor>();

  constructor(readonly now: () => Date = () => new Date()) {}

  /** Notes that a client asked, and whether it was let in. Says whether that is another answer than the one before. */
  asked(address: string, agent: string | undefined, entry: 'in' | 'tunnel' | 'password' | 'wrong' | 'shut'): boolean {
    const at = this.now().toISOString();
    const before = this.#known.get(address);
    const visitor = before ?? { address, agent: '', since: at, lastAt: at, requests: 0, refused: 0, isShutOut: false };
    visitor.lastAt = at;
    if (agent !== undefined && agent !== '') visitor.agent = agent.slice(0, 200);
    const isNews = visitor.isShutOut !== (entry === 'shut') || before === undefined;
    visitor.isShutOut = entry === 'shut';
    if (entry === 'in') visitor.requests++;
    else if (entry === 'wrong' || entry === 'shut') visitor.refused++;
    // The one that was seen last stands last.
    this.#known.delete(address);
    this.#known.set(address, visitor);
    for (const oldest of [...this.#known.keys()].slice(0, -mostVisitors)) this.#known.delete(oldest);
    return isNews;
  }

  /** The newest first. */
  list(): RecorderVisitor[] {
    return [...this.#known.values()].reverse().map((visitor) => ({ ...visitor }));
  }
}
