import * as z from 'zod';
import { WrittenFailureSignSchema } from '../check/failure-sign.js';
import { CredentialSchema, TrustSchema } from '../sign-in/credential.schema.js';
import { isLoopback } from './address.js';
import { ClearanceSchema } from './clearance.schema.js';
import type { Environment } from './environment.schema.js';
import { addressOrigin, plainEnvironment } from './targets.js';

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

/** An environment as a file for the command line; only `targets` is needed. */
export const EnvironmentFileSchema = z.strictObject({
  name: z.string().default('environment file'),
  productionLike: z.boolean().default(false).describe('true where it stands for production, or is it'),
  targets: z
    .array(target)
    .min(1, 'Name at least one target.')
    .describe('origins that may be hit, such as http://127.0.0.1:4701; one that is not this machine with who cleared it'),
  map: z.record(z.string(), trimmed).default({}).describe('recorded origin to the origin that is hit instead'),
  credentials: z
    .array(CredentialSchema)
    .default([])
    .describe('how connections sign in to a target (HTTP authentication, client certificates)'),
  variables: z.record(z.string(), z.coerce.string()).default({}).describe('values that scripts take by name, as ~{variable:name}'),
  secretVariables: z.array(z.string()).default([]).describe('names of variables whose values are secrets'),
  failureSigns: z
    .array(WrittenFailureSignSchema)
    .default([])
    .describe('what no good answer holds, whatever its status: a text, or { kind: title or element, text: … }'),
  trust: TrustSchema.partial().default({}),
  upstreamProxy: z.string().default(''),
});
export type EnvironmentFile = z.infer<typeof EnvironmentFileSchema>;

/** The environment that a file describes. */
export const environmentOfFile = ({ trust, targets, ...file }: EnvironmentFile): Environment => ({
  ...plainEnvironment({ id: 'file', projectId: 'file', name: file.name, targets: targets.map(originOf) }),
  ...file,
  targets: targets.map(originOf),
  clearances: targets.flatMap((target) => (typeof target === 'string' ? [] : [{ origin: target.origin, ...target.cleared }])),
  trust: { authorities: trust.authorities ?? '', checksCertificates: trust.checksCertificates ?? true },
});

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
