import * as z from 'zod';

/** Exact totals and an HDR histogram of response times; merging is exact, however the samples were split. Plain data. */
export const TallySchema = z.object({
  count: z.number().int(),
  errors: z.number().int(),
  /** Sums of ms and ms². */
  sum: z.number(),
  sumOfSquares: z.number(),
  min: z.number(),
  max: z.number(),
  bytesIn: z.number(),
  bytesOut: z.number(),
  /** Sum of ms from the request to the first byte of its answer. */
  firstByte: z.number().default(0),
  /** HDR histogram of µs, format V2, compressed, base64; empty where there is no sample. */
  histogram: z.string(),
});
export type TallyData = z.infer<typeof TallySchema>;

/** Figures of a set of samples. Times in ms, standard deviation with n − 1, percentiles by nearest rank. */
export const SummarySchema = z.object({
  count: z.number().int(),
  errors: z.number().int(),
  errorPercent: z.number(),
  minMs: z.number(),
  meanMs: z.number(),
  maxMs: z.number(),
  deviationMs: z.number(),
  p50Ms: z.number(),
  p90Ms: z.number(),
  p95Ms: z.number(),
  p99Ms: z.number(),
  /** Samples a second. */
  throughput: z.number(),
  bytesIn: z.number(),
  bytesOut: z.number(),
  /** Mean from the request to the first byte of its answer; of a transaction for all its requests together. */
  firstByteMs: z.number().default(0),
});
export type Summary = z.infer<typeof SummarySchema>;
