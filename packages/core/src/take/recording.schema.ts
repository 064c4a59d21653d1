import * as z from 'zod';
import { WarningSchema } from './take.schema.js';

/** A client of the recording proxy. */
export const RecorderVisitorSchema = z.object({
  address: z.string(),
  /** As it calls itself; empty where it did not say. */
  agent: z.string(),
  /** First and last time it was seen, ISO 8601. */
  since: z.string(),
  lastAt: z.string(),
  requests: z.number(),
  /** Requests that were refused, because the password was wrong or had been wrong too often. */
  refused: z.number(),
  isShutOut: z.boolean(),
});
export type RecorderVisitor = z.infer<typeof RecorderVisitorSchema>;

/** What is being recorded, and where the proxy listens. */
export const RecordingStateSchema = z.object({
  takeId: z.string(),
  projectId: z.string(),
  /** Address of the proxy for browsers on this machine. */
  proxy: z.string(),
  /** Addresses, port and `user:password` for other devices; null where only this machine may record. */
  network: z.object({ addresses: z.array(z.string()), port: z.number(), password: z.string() }).nullable(),
  /** Who uses the proxy, the newest first. */
  visitors: z.array(RecorderVisitorSchema),
  paused: z.boolean(),
  exchangeCount: z.number(),
  warnings: z.array(WarningSchema),
  /** Names for the transaction that comes next, the best first. */
  suggestions: z.array(z.string()),
});
export type RecordingState = z.infer<typeof RecordingStateSchema>;

/** The recorder's certificate, and how to trust and remove it in each place. */
export const CertificateHelpSchema = z.object({
  /** SHA-256, as browsers show it. */
  fingerprint: z.string(),
  steps: z.array(z.object({ where: z.string(), trust: z.string(), remove: z.string() })),
});
export type CertificateHelp = z.infer<typeof CertificateHelpSchema>;
