import { createHmac, timingSafeEqual } from 'node:crypto';

/** One visit; signed in where `user` is set. */
export interface Visit {
  id: string;
  /** A name for the visit that is safe to show on the truth page. */
  label: string;
  twin: string;
  user: string | null;
  deskNonce: string;
  clientKey: string;
  formKeys: Set<string>;
  requestIds: Set<string>;
  seenAt: number;
}

/** Visits by cookie value, with the one-time keys that belong to them. */
export class Visits {
  readonly #byId = new Map<string, Visit>();
  #count = 0;

  constructor(
    readonly token: (bytes: number) => string,
    readonly idleMs: number,
  ) {}

  get signedIn(): number {
    let count = 0;
    for (const visit of this.#byId.values()) if (visit.user !== null) count++;
    return count;
  }

  get all(): Iterable<Visit> {
    return this.#byId.values();
  }

  open(): Visit {
    const visit: Visit = {
      id: this.token(16),
      label: `visit ${++this.#count}`,
      twin: this.token(12),
      user: null,
      deskNonce: '',
      clientKey: '',
      formKeys: new Set(),
      requestIds: new Set(),
      seenAt: Date.now(),
    };
    this.#byId.set(visit.id, visit);
    return visit;
  }

  find(id: string | undefined): Visit | undefined {
    const visit = id === undefined ? undefined : this.#byId.get(id);
    if (!visit) return undefined;
    if (Date.now() - visit.seenAt > this.idleMs) {
      this.#byId.delete(visit.id);
      return undefined;
    }
    visit.seenAt = Date.now();
    return visit;
  }

  /** Gives the visit a new cookie value, desk nonce and client key, as a careful application does at sign-in. */
  signIn(visit: Visit, user: string): void {
    this.#byId.delete(visit.id);
    visit.id = this.token(16);
    visit.user = user;
    visit.deskNonce = this.token(8);
    visit.clientKey = `ck-${this.token(10)}`;
    this.#byId.set(visit.id, visit);
  }

  end(visit: Visit): void {
    this.#byId.delete(visit.id);
  }

  /** Forgets the visits that were silent for too long. */
  sweep(): void {
    for (const visit of [...this.#byId.values()]) if (Date.now() - visit.seenAt > this.idleMs) this.#byId.delete(visit.id);
  }

  newFormKey(visit: Visit): string {
    const key = this.token(18);
    visit.formKeys.add(key);
    return key;
  }

  /** True once for each key that was given out to this visit. */
  takeFormKey(visit: Visit, key: string | undefined): boolean {
    return key !== undefined && visit.formKeys.delete(key);
  }
}

/** A signed blob of page state, 1 to 2 kB of base64, bound to one visit and one form. */
export function sealPageState(secret: string, visit: Visit, form: string, token: (bytes: number) => string): string {
  const state = {
    form,
    visit: visit.label,
    salt: token(12),
    // Frameworks carry the whole widget tree along; so do we.
    widgets: Array.from({ length: 14 }, (_, index) => ({ id: `w${index}`, shown: index % 3 !== 0, seal: token(9) })),
  };
  const body = Buffer.from(JSON.stringify(state)).toString('base64');
  const sign = createHmac('sha256', secret).update(visit.id).update(body).digest('base64');
  return `${body}.${sign}`;
}

/** True where the blob was sealed for this visit and form. */
export function isPageState(secret: string, visit: Visit, form: string, blob: string | undefined): boolean {
  const [body, sign] = (blob ?? '').split('.');
  if (!body || !sign) return false;
  const wanted = createHmac('sha256', secret).update(visit.id).update(body).digest();
  const given = Buffer.from(sign, 'base64');
  if (given.length !== wanted.length || !timingSafeEqual(given, wanted)) return false;
  const state = JSON.parse(Buffer.from(body, 'base64').toString()) as { form?: string };
  return state.form === form;
}
