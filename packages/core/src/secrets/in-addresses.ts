import type { Exchange } from '../take/take.schema.js';
import { userInAddress } from '../sign-in/basic.js';
import { credentialFor, type Credential } from '../sign-in/credential.schema.js';

type Basic = Extract<Credential, { kind: 'basic' }>;

/** Users and passwords that a take holds in addresses, one for each origin; an origin that was asked as several users has none. */
export function signInsInAddresses(exchanges: readonly Exchange[]): Basic[] {
  const found = new Map<string, Basic | null>();
  for (const { url } of exchanges) {
    const given = userInAddress(url);
    if (!given || given.user === '') continue;
    const { origin } = new URL(url);
    const known = found.get(origin);
    const isOther = known === null || (known !== undefined && (known.user !== given.user || known.password !== given.password));
    found.set(origin, isOther ? null : { kind: 'basic', origin, ...given });
  }
  return [...found.values()].filter((basic) => basic !== null);
}

/** An environment with sign-ins for recorded origins that it has none for yet, at the origins that are hit in their place. */
export function withSignIns<E extends { credentials: readonly Credential[]; map: Readonly<Record<string, string>> }>(
  environment: E,
  signIns: readonly Basic[],
): E {
  const added = signIns
    .map((signIn) => ({ ...signIn, origin: environment.map[signIn.origin] ?? signIn.origin }))
    .filter(({ origin }) => credentialFor(environment.credentials, origin, ['basic', 'digest', 'bearer', 'ntlm']) === undefined);
  return added.length === 0 ? environment : { ...environment, credentials: [...environment.credentials, ...added] };
}
