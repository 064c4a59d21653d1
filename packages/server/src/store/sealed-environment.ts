import type { Credential, Environment } from '@sturdy/core';
import type { SecretBox } from './secret-box.js';

type Change = (text: string) => string;

function changeCredential(credential: Credential, change: Change): Credential {
  switch (credential.kind) {
    case 'basic':
    case 'digest':
    case 'ntlm':
      return { ...credential, password: change(credential.password) };
    case 'bearer':
      return { ...credential, token: change(credential.token) };
    case 'certificate':
      return { ...credential, key: change(credential.key), passphrase: change(credential.passphrase) };
  }
}

/** An environment with all its secrets changed: those of credentials, the values of variables, and the upstream proxy, whose address may hold a password. */
const changeSecrets = (environment: Environment, change: Change): Environment => ({
  ...environment,
  credentials: environment.credentials.map((credential) => changeCredential(credential, change)),
  variables: Object.fromEntries(Object.entries(environment.variables).map(([name, value]) => [name, change(value)])),
  upstreamProxy: change(environment.upstreamProxy),
});

/** An environment as it lies in the database. */
export const sealEnvironment = (environment: Environment, box: SecretBox): Environment =>
  changeSecrets(environment, (text) => box.seal(text, environment.id));

/** The document of an environment as it is worked with. What is no environment is given as it is. Throws where a secret cannot be opened. */
export function openEnvironment(doc: unknown, id: string, box: SecretBox): unknown {
  const open = (value: unknown): unknown =>
    typeof value === 'string'
      ? box.open(value, id)
      : Array.isArray(value)
        ? value.map(open)
        : value !== null && typeof value === 'object'
          ? Object.fromEntries(Object.entries(value).map(([name, inner]) => [name, open(inner)]))
          : value;
  return open(doc);
}

/** True where some secret lies there unsealed, or sealed with an older key. */
export function isSealedOtherwise(stored: Environment, box: SecretBox): boolean {
  let stale = false;
  changeSecrets(stored, (text) => {
    stale ||= box.isStale(text);
    return text;
  });
  return stale;
}
