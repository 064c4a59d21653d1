import type { Header } from '@sturdy/core';
import { CookieJar } from 'tough-cookie';

const newJar = () => new CookieJar(undefined, { looseMode: true, rejectPublicSuffixes: false });

/**
 * The cookies of one virtual user, after RFC 6265 (tough-cookie). Servers repeat the same Set-Cookie line on every answer, and
 * users ask the same addresses again and again; both are remembered here, as long as no cookie has a lifetime.
 */
export class UserCookies {
  #jar = newJar();
  #empty = true;
  /** Last Set-Cookie line by origin and cookie name. */
  readonly #lines = new Map<string, string>();
  /** Cookie header by address, as long as nothing changes. */
  readonly #headers = new Map<string, string>();
  #hasLifetimes = false;

  /** The Cookie header for an address; empty where there is none. */
  headerFor(url: string): string {
    if (this.#empty) return '';
    const question = url.indexOf('?');
    const address = question < 0 ? url : url.slice(0, question);
    const known = this.#headers.get(address);
    if (known !== undefined) return known;
    const header = this.#jar.getCookieStringSync(url);
    if (!this.#hasLifetimes) this.#headers.set(address, header);
    return header;
  }

  /** Takes in the Set-Cookie lines of a response from an address. */
  keep(headers: readonly Header[], origin: string, target: string): void {
    for (const [name, line] of headers) {
      if (name.length !== 10 || name.toLowerCase() !== 'set-cookie') continue;
      const lifetime = /;\s*(expires|max-age)\s*=/i.test(line);
      // The path counts only where the line gives none.
      const key = `${origin}${/;\s*path\s*=/i.test(line) ? '' : target} ${line.slice(0, line.indexOf('='))}`;
      if (!lifetime && this.#lines.get(key) === line) continue;
      this.#lines.set(key, line);
      if (lifetime) this.#hasLifetimes = true;
      this.#headers.clear();
      this.#empty = false;
      this.#jar.setCookieSync(line, origin + target, { ignoreError: true });
    }
  }

  /** The value of a cookie that would be sent to the root of an origin or to any path below it. */
  get(origin: string, name: string): string | undefined {
    return this.#jar.getCookiesSync(origin, { allPaths: true }).find((cookie) => cookie.key === name)?.value;
  }

  /** Sets a cookie for all paths of an origin, as a page script would. */
  set(origin: string, name: string, value: string): void {
    this.keep([['Set-Cookie', `${name}=${value}; Path=/`]], origin, '/');
  }

  delete(origin: string, name: string): void {
    for (const cookie of this.#jar.getCookiesSync(origin, { allPaths: true }))
      if (cookie.key === name) this.keep([['Set-Cookie', `${name}=; Path=${cookie.path ?? '/'}; Max-Age=0`]], origin, '/');
    this.#lines.clear();
  }

  clear(): void {
    if (this.#empty) return;
    this.#jar = newJar();
    this.#empty = true;
    this.#hasLifetimes = false;
    this.#lines.clear();
    this.#headers.clear();
  }
}
