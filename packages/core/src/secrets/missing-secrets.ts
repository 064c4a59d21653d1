import type { Environment } from '../environment/environment.schema.js';
import { secretsOf, withPassword } from './kept-secrets.js';
import { missingName, missingSecret } from './missing-name.js';

/** A secret that an environment needs and nobody has given yet. */
export interface MissingSecret {
  name: string;
  /** What it is for, such as “password of kim at http://127.0.0.1:4701”. */
  what: string;
}

/** An environment with each secret changed. `what` says which one it is, `field` is that of its credential. */
function changeSecrets(environment: Environment, change: (secret: string, what: string, field: string) => string): Environment {
  return {
    ...environment,
    credentials: environment.credentials.map((credential) => {
      const whose = 'user' in credential ? ` of ${credential.user}` : '';
      const where = credential.origin === '*' ? 'all targets' : credential.origin;
      const changed = Object.entries(secretsOf(credential)).map(([field, secret]): [string, string] => [
        field,
        change(secret, `${field}${whose} at ${where}`, field),
      ]);
      return { ...credential, ...(Object.fromEntries(changed) as Record<string, string>) };
    }),
    variables: Object.fromEntries(
      Object.entries(environment.variables).map(([name, value]) => [
        name,
        environment.secretVariables.includes(name) ? change(value, `variable ${name}`, '') : value,
      ]),
    ),
    upstreamProxy: withPassword(environment.upstreamProxy, (password) => change(password, 'password of the upstream proxy', '')),
  };
}

/** The secrets that an environment needs and that nobody has given yet. */
export function missingSecretsOf(environment: Environment): MissingSecret[] {
  const missing: MissingSecret[] = [];
  changeSecrets(environment, (secret, what) => {
    const name = missingName(secret);
    if (name !== null) missing.push({ name, what });
    return secret;
  });
  return missing;
}

/** An environment with secrets put where they were missing, by their names; what is not given stays missing. */
export const giveSecrets = (environment: Environment, given: (name: string) => string | undefined): Environment =>
  changeSecrets(environment, (secret) => {
    const name = missingName(secret);
    return (name === null ? undefined : given(name)) ?? secret;
  });

/** An environment whose secrets are missing, each under a name that says where it belongs. Empty ones stay empty. */
export function withoutSecrets(environment: Environment): Environment {
  const taken = new Set<string>();
  return changeSecrets(environment, (secret, what, field) => {
    if (secret === '') return '';
    const known = missingName(secret);
    if (known !== null) return secret;
    const plain = `${environment.name} ${what.replace(/ at (?:all targets|https?:\/\/)/, ' ')}`
      .normalize('NFKD')
      .replace(/[^A-Za-z\d]+/g, '_');
    const stem = plain
      .replace(/^_+|_+$/g, '')
      .toUpperCase()
      .replace(/^(?=\d)/, 'S_')
      .slice(0, 80);
    for (let n = 1; ; n++) {
      const name = n === 1 ? stem : `${stem}_${n}`;
      if (taken.has(name)) continue;
      taken.add(name);
      return missingSecret(name, field);
    }
  });
}

/** The secrets of an environment by the names under which a file would name them. */
export function secretsByName(environment: Environment): ReadonlyMap<string, string> {
  const secrets: string[] = [];
  const note = (secret: string): string => {
    secrets.push(secret);
    return secret;
  };
  changeSecrets(environment, note);
  const known = secrets.splice(0);
  changeSecrets(withoutSecrets(environment), note);
  return new Map(
    secrets.flatMap((placeholder, at): [string, string][] => {
      const [name, secret] = [missingName(placeholder), known[at]];
      return name === null || secret === undefined || missingName(secret) !== null ? [] : [[name, secret]];
    }),
  );
}
