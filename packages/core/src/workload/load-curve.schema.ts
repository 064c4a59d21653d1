import * as z from 'zod';

const seconds = z.number().min(0).max(86_400);
const held = z.number().min(1).max(86_400);
const share = z.number().min(0).max(100);

/** What a virtual user finishes when its time is over: the iteration, the step, or nothing. */
const atEnd = z.enum(['iteration', 'step', 'now']);

/** A point of a drawn curve: so many per cent of the users of each crew at a moment. */
export const CurvePointSchema = z.object({ seconds, percent: share });
export type CurvePoint = z.infer<typeof CurvePointSchema>;

const ramp = z.object({
  kind: z.literal('ramp'),
  rampUpSeconds: seconds,
  holdSeconds: held,
  rampDownSeconds: seconds,
  /** So many users start at the same moment: 5 of 20 over 40 s are 5 every 10 s. */
  together: z.number().int().min(1).max(20_000).default(1),
  atEnd,
});
/** All users from the first moment on. */
const atOnce = z.object({ kind: z.literal('at-once'), holdSeconds: held, rampDownSeconds: seconds, atEnd });
/** `first` users, `add` more every so many seconds, until all are there; each step is held, the last one too. */
const staircase = z.object({
  kind: z.literal('staircase'),
  first: z.number().int().min(1).max(20_000),
  add: z.number().int().min(1).max(20_000),
  everySeconds: held,
  rampDownSeconds: seconds,
  atEnd,
});
/** Straight lines between points; it begins with the first and ends with the last of them. */
const drawn = z.object({
  kind: z.literal('drawn'),
  points: z
    .array(CurvePointSchema)
    .min(2)
    .max(200)
    .refine((points) => points.every((point, at) => point.seconds >= (points[at - 1]?.seconds ?? 0)), {
      message: 'Put the points in the order of their time.',
    }),
  atEnd,
});
/**
 * An open model: iterations start at a rate, however fast the system answers; each is played by a user of its own. A crew says its rate, and
 * its number of users is the most that may be under way at a time.
 */
const arrivals = z.object({
  kind: z.literal('arrivals'),
  process: z.enum(['constant', 'poisson']),
  rampUpSeconds: seconds,
  holdSeconds: held,
  rampDownSeconds: seconds,
  atEnd,
});

/** How many virtual users are active at each moment, or how many iterations start. */
export const LoadCurveSchema = z.preprocess(
  // Workloads that are older than the other kinds have ramps.
  (given) => (typeof given === 'object' && given !== null && !('kind' in given) ? { kind: 'ramp', ...given } : given),
  z.discriminatedUnion('kind', [ramp, atOnce, staircase, drawn, arrivals]),
);
export type LoadCurve = z.infer<typeof LoadCurveSchema>;
export type CurveKind = LoadCurve['kind'];
