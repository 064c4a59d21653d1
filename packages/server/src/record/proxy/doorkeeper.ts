import { createHash, timingSafeEqual } from 'node:crypto';

/** So many wrong passwords shut the door for an address. */
const mostTries = 10;
/** So long it stays shut, in ms. */
const shutMs = 60_000;
/** So many addresses are remembered; the oldest is forgotten first. */
const mostAddresses = 10_000;

const digest = (text: string): Buffer => createHash('sha256').update(text).digest();

/** Lets those into the proxy who give its password, whatever way they come, and shuts the door on those who guess. */
export class Doorkeeper {
  readonly #wanted: Buffer | null;
  readonly #tries = new Map<string, { count: number; lastMs: number }>();

  /** `password` is what a client has to give, as `user:password`; null lets everybody in, which is for loopback only. */
  constructor(
    password: string | null,
    readonly nowMs: () => number = Date.now,
  ) {
    this.#wanted = password === null ? null : digest(password);
  }

  /** Whether a client is let in, by its address and its Proxy-Authorization; `shut` for one that has guessed too often. */
  asks(address: string, authorization: string | undefined): 'in' | 'password' | 'shut' {
    if (this.#wanted === null) return 'in';
    const before = this.#tries.get(address);
    if (before && this.nowMs() - before.lastMs >= shutMs) this.#tries.delete(address);
    const count = this.#tries.get(address)?.count ?? 0;
    if (count >= mostTries) return 'shut';
    const [scheme = '', token = ''] = (authorization ?? '').split(' ');
    // Who sends none has not guessed: every browser asks once without.
    if (authorization === undefined) return 'password';
    const given = digest(Buffer.from(token, 'base64').toString());
    if (scheme.toLowerCase() === 'basic' && timingSafeEqual(given, this.#wanted)) {
      this.#tries.delete(address);
      return 'in';
    }
    if (!this.#tries.has(address) && this.#tries.size >= mostAddresses)
      for (const oldest of this.#tries.keys()) {
        this.#tries.delete(oldest);
        break;
      }
    this.#tries.set(address, { count: count + 1, lastMs: this.nowMs() });
    return 'password';
  }
}
