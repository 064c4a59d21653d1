import { answerBody, environmentSecrets, KnownSecrets, passwordFields, secretsSent, sentBody, type BodyRef, type Take } from '@sturdy/core';
import type { Store } from '../store/store-client.js';

/** Bodies that are longer, in bytes, are no forms that somebody typed into. */
const longestForm = 256 << 10;
/** Takes whose secrets are remembered. */
const mostTakes = 50;

/** What is known to be secret in a project: of its environments, and what was typed into password fields while recording. */
export class ProjectSecrets {
  readonly #typed = new Map<string, string[]>();

  constructor(readonly store: Pick<Store, 'environments' | 'take' | 'exchange' | 'exchanges' | 'body'>) {}

  /** All that is secret in an export of these takes. */
  async of(projectId: string, takeIds: readonly string[]): Promise<KnownSecrets> {
    const typed = await Promise.all([...new Set(takeIds)].map((id) => this.#typedIn(id)));
    return this.#known(projectId, typed.flat());
  }

  /**
   * Which secrets stand in these exchanges and stored bodies of a take, each as it is spelled there, so that whoever is shown them can mask
   * them; and what was typed in the take. Whoever may read them may read these.
   */
  async standingIn(take: Pick<Take, 'id' | 'projectId'>, numbers: readonly number[], hashes: readonly string[]): Promise<string[]> {
    const typed = await this.#typedIn(take.id);
    const known = await this.#known(take.projectId, typed);
    const exchanges = await Promise.all(numbers.map((n) => this.store.exchange(take.id, n)));
    const shownBodies = exchanges
      .flatMap((exchange) => (exchange ? [sentBody(exchange), answerBody(exchange)] : []))
      .filter((ref) => ref !== null);
    const bodies = await Promise.all([...hashes, ...shownBodies.map((shownBody) => shownBody.hash)].map((hash) => this.#bodyText(hash)));
    const texts = [...exchanges.map((exchange) => JSON.stringify(exchange)), ...bodies];
    return [...new Set([...typed, ...texts.flatMap((text) => known.foundIn(text))])];
  }

  /** What the environments of a project hold, and what was typed. */
  async #known(projectId: string, typed: readonly string[]): Promise<KnownSecrets> {
    const environments = await this.store.environments(projectId);
    return new KnownSecrets([...environments.flatMap(environmentSecrets), ...typed]);
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
    for (const answer of exchanges.map(answerBody))
      if (/html/i.test(answer?.mimeType ?? '')) for (const name of passwordFields(await this.#refText(answer))) fields.add(name);
    const found: string[] = [];
    for (const sent of exchanges.map(sentBody))
      if (sent && sent.size <= longestForm) found.push(...secretsSent(await this.#refText(sent), sent.mimeType, fields));
    return [...new Set(found)];
  }

  async #refText(ref: BodyRef | null): Promise<string> {
    return ref ? this.#bodyText(ref.hash) : '';
  }

  async #bodyText(hash: string): Promise<string> {
    const body = await this.store.body(hash);
    return body ? Buffer.from(body.bytes).toString('utf8') : '';
  }
}
