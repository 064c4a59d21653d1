import * as z from 'zod';
import { WrittenFailureSignSchema } from '../check/failure-sign.js';
import { CredentialSchema, TrustSchema } from '../sign-in/credential.schema.js';
import { plainEnvironment } from './targets.js';
import type { Environment } from './environment.schema.js';

const origin = z.string().refine((text) => URL.canParse(text) && new URL(text).origin === text.replace(/\/$/, ''), {
  message: 'Write an origin, such as http://127.0.0.1:4701.',
});
const trimmed = origin.transform((text) => new URL(text).origin);

/** An environment as a file for the command line; only `targets` is needed. */
export const EnvironmentFileSchema = z.strictObject({
  name: z.string().default('environment file'),
  targets: z.array(trimmed).min(1, 'Name at least one target.').describe('origins that may be hit, such as http://127.0.0.1:4701'),
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
export const environmentOfFile = ({ trust, ...file }: EnvironmentFile): Environment => ({
  ...plainEnvironment({ id: 'file', projectId: 'file', name: file.name, targets: file.targets }),
  ...file,
  trust: { authorities: trust.authorities ?? '', checksCertificates: trust.checksCertificates ?? true },
});
