import * as z from 'zod';
import { WrittenFailureSignSchema } from '../check/failure-sign.js';
import { CredentialSchema, TrustSchema } from '../sign-in/credential.schema.js';
import { ClearanceSchema } from './clearance.schema.js';

/** One place where the system under test runs. */
export const EnvironmentSchema = z.object({
  id: z.string(),
  projectId: z.string(),
  name: z.string(),
  /** True where it stands for production, or is it: whatever starts there says so. */
  productionLike: z.boolean().default(false),
  /** Origins that may be hit, such as `http://127.0.0.1:4701`. */
  targets: z.array(z.string()),
  /** Targets beyond this machine, each with who cleared it; no other is hit. */
  clearances: z.array(ClearanceSchema).default([]),
  /** Recorded origin to the origin that is hit instead. */
  map: z.record(z.string(), z.string()),
  /** How connections sign in to a target. */
  credentials: z.array(CredentialSchema).default([]),
  trust: TrustSchema.default({ authorities: '', checksCertificates: true }),
  /** Proxy that stands between this machine and the targets, such as `http://127.0.0.1:3128`; empty for none. */
  upstreamProxy: z
    .string()
    .refine((text) => text === '' || (URL.canParse(text) && /^https?:$/.test(new URL(text).protocol)), {
      message: 'Write the address of an HTTP proxy, such as http://127.0.0.1:3128, or leave it empty.',
    })
    .default(''),
  /** Values that scripts take by name, and that differ from environment to environment. */
  variables: z.record(z.string(), z.string()).default({}),
  /** Names of variables whose values are secrets. */
  secretVariables: z.array(z.string()).default([]),
  /** What no good answer holds, whatever its status: “Your session has expired”. Those of the project are added when it is played. */
  failureSigns: z.array(WrittenFailureSignSchema).default([]),
});
export type Environment = z.infer<typeof EnvironmentSchema>;

/** The environment that a run or a rehearsal used, as it was called then. */
export const UsedEnvironmentSchema = EnvironmentSchema.pick({ id: true, name: true, productionLike: true });
export type UsedEnvironment = z.infer<typeof UsedEnvironmentSchema>;

export const usedEnvironment = ({ id, name, productionLike }: Environment): UsedEnvironment => ({ id, name, productionLike });
