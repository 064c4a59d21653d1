import { stringify } from 'yaml';
import * as z from 'zod';
import { WrittenFailureSignSchema } from '../check/failure-sign.js';
import { secretsOf, withPassword } from '../secrets/kept-secrets.js';
import { missingName, missingSecret } from '../secrets/missing-name.js';
import { withoutSecrets } from '../secrets/missing-secrets.js';
import { CredentialSchema, TrustSchema, type Credential } from '../sign-in/credential.schema.js';
import { isLoopback } from '../environment/address.js';
import { ClearanceSchema } from '../environment/clearance.schema.js';
import type { Environment } from '../environment/environment.schema.js';
import { addressOrigin, plainEnvironment } from '../environment/targets.js';

const origin = z.string().refine((text) => addressOrigin(text) === text.replace(/\/$/, ''), {
  message: 'Write an origin, such as http://127.0.0.1:4701 or tcp://127.0.0.1:9100.',
});
const trimmed = origin.transform((text) => addressOrigin(text) ?? text);

/** A target: an origin, or, where it is not this machine, an origin with who cleared it. */
const target = z.union([
  trimmed,
  z.strictObject({
    origin: trimmed,
    cleared: z
      .strictObject(ClearanceSchema.omit({ origin: true }).shape)
      .describe('who allows this target, what for, until when, and up to how much; not needed for this machine'),
  }),
]);

/** Stands for a secret, which a file never holds: whoever uses the file gives it by this name. */
const SecretNameSchema = z.strictObject({
  secret: z
    .string()
    .regex(/^[A-Za-z_][\w.-]{0,99}$/, 'A name of a secret has letters, digits and underscores, such as STAGING_PASSWORD.')
    .describe('name under which the secret is given: a variable of the environment of the command, or a line of a file of secrets'),
});
const secretText = z.union([SecretNameSchema, z.string()]);
const [basic, digest, bearer, ntlm, certificate] = CredentialSchema.options;
/** A sign-in as a file says it: its secrets by their names. */
const CredentialInFile = z.discriminatedUnion('kind', [
  basic.extend({ password: secretText }),
  digest.extend({ password: secretText }),
  bearer.extend({ token: z.union([SecretNameSchema, bearer.shape.token]) }),
  ntlm.extend({ password: secretText, domain: ntlm.shape.domain.default('') }),
  certificate.extend({ key: z.union([SecretNameSchema, certificate.shape.key]), passphrase: secretText.default('') }),
]);

/** An environment as a file for the command line; only `targets` is needed. */
export const EnvironmentFileSchema = z.strictObject({
  name: z.string().default('environment file'),
  productionLike: z.boolean().default(false).describe('true where it stands for production, or is it'),
  targets: z
    .array(target)
    .describe('origins that may be hit, such as http://127.0.0.1:4701; one that is not this machine with who cleared it'),
  map: z.record(z.string(), trimmed).default({}).describe('recorded origin to the origin that is hit instead'),
  credentials: z
    .array(CredentialInFile)
    .default([])
    .describe('how connections sign in to a target (HTTP authentication, client certificates)'),
  variables: z
    .record(z.string(), z.union([SecretNameSchema, z.union([z.string(), z.number(), z.boolean(), z.null()]).transform(String)]))
    .default({})
    .describe('values that scripts take by name, as ~{variable:name}'),
  secretVariables: z.array(z.string()).default([]).describe('names of variables whose values are secrets'),
  failureSigns: z
    .array(WrittenFailureSignSchema)
    .default([])
    .describe('what no good answer holds, whatever its status: a text, or { kind: title or element, text: … }'),
  trust: TrustSchema.partial().default({}),
  upstreamProxy: z.string().default('').describe('address of an HTTP proxy; with a user where it asks for one'),
  upstreamProxyPassword: secretText.optional().describe('password of the user in the address of the proxy'),
});
export type EnvironmentFile = z.infer<typeof EnvironmentFileSchema>;

/** The environment that a file describes. Secrets that it names are missing in it: see `missingSecretsOf` and `giveSecrets`. */
export function environmentOfFile({
  trust,
  targets,
  credentials,
  variables,
  upstreamProxyPassword,
  ...file
}: EnvironmentFile): Environment {
  const named = Object.entries(variables).flatMap(([name, value]) => (typeof value === 'string' ? [] : [name]));
  return {
    ...plainEnvironment({ id: 'file', projectId: 'file', name: file.name, targets: targets.map(originOf) }),
    ...file,
    targets: targets.map(originOf),
    clearances: targets.flatMap((target) => (typeof target === 'string' ? [] : [{ origin: target.origin, ...target.cleared }])),
    credentials: credentials.map((credential): Credential => {
      switch (credential.kind) {
        case 'bearer':
          return { ...credential, token: secretOf(credential.token) };
        case 'certificate':
          return { ...credential, key: secretOf(credential.key, 'key'), passphrase: secretOf(credential.passphrase) };
        default:
          return { ...credential, password: secretOf(credential.password) };
      }
    }),
    variables: Object.fromEntries(Object.entries(variables).map(([name, value]) => [name, secretOf(value)])),
    // What is given as a secret is one.
    secretVariables: [...new Set([...file.secretVariables, ...named])],
    upstreamProxy:
      upstreamProxyPassword === undefined ? file.upstreamProxy : proxyWith(file.upstreamProxy, secretOf(upstreamProxyPassword)),
    trust: { authorities: trust.authorities ?? '', checksCertificates: trust.checksCertificates ?? true },
  };
}

const secretOf = (text: string | z.infer<typeof SecretNameSchema>, field?: string): string =>
  typeof text === 'string' ? text : missingSecret(text.secret, field);

function proxyWith(address: string, password: string): string {
  if (!URL.canParse(address)) return address;
  const url = new URL(address);
  url.password = encodeURIComponent(password);
  return url.href.replace(/\/$/, '');
}

/** An environment as a file that may travel: its secrets by their names, its targets with who cleared them. */
export function writeEnvironmentFile(environment: Environment): string {
  const { name, productionLike, map, credentials, variables, secretVariables, failureSigns, trust, upstreamProxy } =
    withoutSecrets(environment);
  const shown = (secret: string): string | z.infer<typeof SecretNameSchema> => {
    const secretName = missingName(secret);
    return secretName === null ? secret : { secret: secretName };
  };
  const proxyPassword = URL.canParse(upstreamProxy) ? decodeURIComponent(new URL(upstreamProxy).password) : '';
  const file: z.input<typeof EnvironmentFileSchema> = {
    name,
    ...(productionLike ? { productionLike } : {}),
    targets: fileTargets(environment),
    map,
    credentials: credentials.map((credential) => ({
      ...credential,
      ...Object.fromEntries(Object.entries(secretsOf(credential)).map(([field, secret]) => [field, shown(secret)])),
    })),
    variables: Object.fromEntries(Object.entries(variables).map(([variable, value]) => [variable, shown(value)])),
    secretVariables,
    failureSigns,
    trust,
    upstreamProxy: withPassword(upstreamProxy, () => ''),
    ...(proxyPassword === '' ? {} : { upstreamProxyPassword: shown(proxyPassword) }),
  };
  return stringify(file, { lineWidth: 0, aliasDuplicateObjects: false });
}

/** The targets of an environment as its file names them. Addresses are left out: they are looked up where the file is used. */
export const fileTargets = ({
  targets,
  clearances,
}: Pick<Environment, 'targets' | 'clearances'>): z.input<typeof EnvironmentFileSchema>['targets'] =>
  targets.map((origin) => {
    const clearance = clearances.find((candidate) => candidate.origin === origin);
    if (!clearance) return origin;
    const { by, for: purpose, until, requestsPerSecond, users, host } = clearance;
    return {
      origin,
      cleared: {
        by,
        for: purpose,
        until,
        ...(requestsPerSecond === null ? {} : { requestsPerSecond }),
        ...(users === null ? {} : { users }),
        ...(host === '' ? {} : { host }),
      },
    };
  });

const originOf = (target: EnvironmentFile['targets'][number]): string => (typeof target === 'string' ? target : target.origin);

/** The lines of an environment file that clear a target; who writes them fills in the rest. `day` is when it shall end, as YYYY-MM-DD. */
export const clearanceLines = (origin: string, day: string): string =>
  [
    'targets:',
    `  - origin: ${origin}`,
    '    cleared:',
    '      by: YOUR NAME',
    '      for: WHAT IS TESTED, AND WHO AGREED',
    `      until: ${day}`,
    '      requestsPerSecond: 10',
    '      users: 5',
  ].join('\n');

/** The first target of an environment that is not on this machine and has no clearance; undefined where there is none. */
export const unclearedTarget = ({ targets, clearances }: Environment): string | undefined =>
  targets.find((target) => !isLoopback(target) && !clearances.some(({ origin }) => origin === target));
