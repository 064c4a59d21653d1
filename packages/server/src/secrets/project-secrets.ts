import { environmentSecrets, KnownSecrets, passwordFields, secretsSent, type Exchange } from '@sturdy/core';
import type { Store } from '../store/store-client.js';

/** Bodies that are longer, in bytes, are no forms that somebody typed into. */
const longestForm = 256 << 10;
/** Takes whose secrets are remembered. */
const mostTakes = 50;

/** What is known to be secret in a project: of its environments, and what was typed into password fields while recording. */
export class ProjectSecrets {
  readonly #typed = new Map<string, string[]>();

  constructor(readonly store: Pick<Store, 'environments' | 'take' | 'exchanges' | 'body'>) {}

  /** All that is secret in an export of these takes. */
  async of(projectId: string, takeIds: readonly string[]): Promise<KnownSecrets> {
    const environments = await this.store.environments(projectId);
    const typed = await Promise.all([...new Set(takeIds)].map((id) => this.#typedIn(id)));
    return new KnownSecrets([...environments.flatMap(environmentSecrets), ...typed.flat()]);
  }

  async #typedIn(takeId: string): Promise<string[]> {
    const known = this.#typed.get(takeId);
    if (known) return known;
    const isDone = (await this.store.take(takeId))?.state === 'done';
    const found = await this.#find(takeId);
    // What was typed no longer changes once the take is done, so it is looked for once.
    if (isDone) this.#typed.set(takeId, found);
    for (const oldest of [...this.#typed.keys()].slice(0, -mostTakes)) this.#typed.delete(oldest);
    return found;
  }

  async #find(takeId: string): Promise<string[]> {
    const exchanges = await this.store.exchanges(takeId);
    const fields = new Set<string>();
    for (const { response } of exchanges)
      if (/html/i.test(response?.body?.mimeType ?? ''))
        for (const name of passwordFields(await this.#text(response?.body ?? null))) fields.add(name);
    const found: string[] = [];
    for (const { requestBody } of exchanges)
      if (requestBody && requestBody.size <= longestForm)
        found.push(...secretsSent(await this.#text(requestBody), requestBody.mimeType, fields));
    return [...new Set(found)];
  }

  async #text(ref: Exchange['requestBody']): Promise<string> {
    const body = ref && (await this.store.body(ref.hash));
    return body ? Buffer.from(body.bytes).toString('utf8') : '';
  }
}
