import type { Environment } from '../environment/environment.schema.js';
import { hideSecrets, secretsOf, withPassword } from './kept-secrets.js';

/** A secret of an environment on its way to whoever plays there, under a name that says where it belongs, such as `credential:0:password`. */
export interface HandedSecret {
  name: string;
  value: string;
}

const ofCredential = (index: number, field: string): string => `credential:${index}:${field}`;
const ofVariable = (variable: string): string => `variable:${variable}`;
const ofProxy = 'proxy:password';

function proxyPassword({ upstreamProxy }: Environment): string {
  return URL.canParse(upstreamProxy) ? decodeURIComponent(new URL(upstreamProxy).password) : '';
}

/** Parts an environment into what everyone may read, and its secrets, which are handed over one by one. */
export function partSecrets(environment: Environment): { shown: Environment; secrets: HandedSecret[] } {
  const all: HandedSecret[] = [
    ...environment.credentials.flatMap((credential, index) =>
      Object.entries(secretsOf(credential)).map(([field, value]) => ({ name: ofCredential(index, field), value })),
    ),
    ...environment.secretVariables.map((variable) => ({ name: ofVariable(variable), value: environment.variables[variable] ?? '' })),
    { name: ofProxy, value: proxyPassword(environment) },
  ];
  return { shown: hideSecrets(environment), secrets: all.filter(({ value }) => value !== '') };
}

/** Puts the secrets of an environment back where they belong. What was handed over under no name of it stays out. */
export function joinSecrets(shown: Environment, secrets: ReadonlyMap<string, string>): Environment {
  return {
    ...shown,
    credentials: shown.credentials.map((credential, index) => {
      const fields = Object.keys(secretsOf(credential)).flatMap((field) => {
        const value = secrets.get(ofCredential(index, field));
        return value === undefined ? [] : [[field, value] as const];
      });
      return { ...credential, ...Object.fromEntries(fields) };
    }),
    variables: Object.fromEntries(
      Object.entries(shown.variables).map(([name, value]) => [
        name,
        shown.secretVariables.includes(name) ? (secrets.get(ofVariable(name)) ?? value) : value,
      ]),
    ),
    upstreamProxy: withPassword(shown.upstreamProxy, (kept) => secrets.get(ofProxy) ?? kept),
  };
}
