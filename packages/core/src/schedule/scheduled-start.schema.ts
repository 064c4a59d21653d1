import * as z from 'zod';

/** What is looked at before a scheduled run begins. */
export const readinessKinds = ['target', 'rehearsal', 'rows', 'generators', 'disk', 'clock', 'blackout', 'other runs'] as const;

/** One thing that was looked at: `unsure` is told, and keeps no run from beginning. */
export const ReadinessPointSchema = z.object({
  kind: z.enum(readinessKinds),
  state: z.enum(['good', 'bad', 'unsure']),
  /** What was found, and what to do where it is bad. */
  text: z.string(),
});
export type ReadinessPoint = z.infer<typeof ReadinessPointSchema>;

/** Whether a run can begin. */
export const ReadinessSchema = z.object({ at: z.string(), points: z.array(ReadinessPointSchema) });
export type Readiness = z.infer<typeof ReadinessSchema>;

/** True where nothing was found that will fail. */
export const isReady = ({ points }: Readiness): boolean => points.every(({ state }) => state !== 'bad');

/**
 * A start of a schedule that has come, or whose readiness was looked at. `missed`: nothing was there to begin it, and it was not caught up. `left out`:
 * it was not ready, or something was in the way. `beginning` is what a crash leaves of one that was about to begin.
 */
export const ScheduledStartSchema = z.object({
  /** Of schedule and planned moment, so a start is there once. */
  id: z.string(),
  projectId: z.string(),
  scheduleId: z.string(),
  /** Names as they were then. */
  schedule: z.string(),
  workload: z.string(),
  zone: z.string(),
  planned: z.iso.datetime(),
  /** When it was to be, which is later where it was put off. */
  at: z.iso.datetime(),
  state: z.enum(['waiting', 'beginning', 'began', 'ended', 'missed', 'left out', 'canceled']),
  readiness: ReadinessSchema.nullable(),
  /** What became of it, in a sentence. */
  text: z.string(),
  runId: z.string().nullable(),
});
export type ScheduledStart = z.infer<typeof ScheduledStartSchema>;

export const startId = (scheduleId: string, planned: string): string => `${scheduleId}@${planned}`;
