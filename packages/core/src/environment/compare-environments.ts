import type { Credential } from '../sign-in/credential.schema.js';
import type { Environment } from './environment.schema.js';

/** Something in which two environments differ; empty where one has nothing of it. */
export interface EnvironmentDifference {
  what: string;
  left: string;
  right: string;
}

/** A credential in words, without what is secret in it. */
const credentialWords = (credential: Credential): string => {
  const user = 'user' in credential && typeof credential.user === 'string' ? `, ${credential.user}` : '';
  return `${credential.kind}${user}`;
};

/** What an environment says, as pairs of a name and a value; secrets are named and not shown. */
function facts(environment: Environment): Map<string, string> {
  const { name, productionLike, targets, map, clearances, credentials, variables, secretVariables, trust, upstreamProxy, failureSigns } =
    environment;
  return new Map([
    ['Name', name],
    ['Production-like', productionLike ? 'yes' : 'no'],
    ...targets.map((target): [string, string] => [`Target ${target}`, 'allowed']),
    ...clearances.map(({ origin, by, until }): [string, string] => [`Clearance of ${origin}`, `by ${by} until ${until}`]),
    ...Object.entries(map).map(([from, to]): [string, string] => [`Instead of ${from}`, to]),
    ...credentials.map((credential): [string, string] => [
      `Sign-in at ${credential.origin === '*' ? 'all targets' : credential.origin}`,
      credentialWords(credential),
    ]),
    ...Object.entries(variables).map(([variable, value]): [string, string] => [
      `Variable ${variable}`,
      secretVariables.includes(variable) ? 'a secret' : value,
    ]),
    ['Proxy', upstreamProxy],
    ['Certificates', trust.checksCertificates ? 'checked' : 'not checked'],
    ['Further authorities', trust.authorities.trim() === '' ? '' : 'given'],
    ...failureSigns.map((sign): [string, string] => [`Failure sign “${sign.text}”`, 'set']),
  ]);
}

/** In what two environments differ, in the order of the first. Values of secrets are not compared. */
export function compareEnvironments(left: Environment, right: Environment): EnvironmentDifference[] {
  const [leftFacts, rightFacts] = [facts(left), facts(right)];
  return [...new Set([...leftFacts.keys(), ...rightFacts.keys()])].flatMap((what) => {
    const difference = { what, left: leftFacts.get(what) ?? '', right: rightFacts.get(what) ?? '' };
    return difference.left === difference.right ? [] : [difference];
  });
}
