import * as z from 'zod';

/** A time of day as a clock on the wall shows it: 02:30. */
export const WallTimeSchema = z.string().regex(/^([01]\d|2[0-3]):[0-5]\d$/, 'Write a time as 02:30.');
/** A day of the calendar: 2026-12-01. */
export const CalendarDaySchema = z.iso.date('Write a day as 2026-12-01.');
/** True for a time zone of the IANA database, as this machine has it. */
function isZone(name: string): boolean {
  try {
    return new Intl.DateTimeFormat('en', { timeZone: name }).format(0) !== '' && /^[A-Za-z]/.test(name);
  } catch {
    return false;
  }
}
export const ZoneSchema = z.string().refine(isZone, 'This is no time zone. Write one such as Europe/Berlin or UTC.');
/** Monday is 1, Sunday 7 (ISO 8601). */
const WeekdaySchema = z.number().int().min(1).max(7);

/** When the runs of a schedule begin, by the clock on the wall of its zone. `until` is the last day; null for no end. */
export const RepetitionSchema = z.discriminatedUnion('kind', [
  z.object({ kind: z.literal('once'), day: CalendarDaySchema, time: WallTimeSchema }),
  z.object({
    kind: z.literal('weekly'),
    days: z.array(WeekdaySchema).min(1, 'Choose a day of the week.').max(7),
    time: WallTimeSchema,
    from: CalendarDaySchema,
    until: CalendarDaySchema.nullable(),
  }),
  z.object({
    kind: z.literal('monthly'),
    /** Which of the weekdays of a month, counted from its beginning; 5 is the last one, be it the fourth or the fifth. */
    which: z.number().int().min(1).max(5),
    day: WeekdaySchema,
    time: WallTimeSchema,
    from: CalendarDaySchema,
    until: CalendarDaySchema.nullable(),
  }),
]);
export type Repetition = z.infer<typeof RepetitionSchema>;

/** One start that somebody has put off or canceled. */
export const StartChangeSchema = z.object({
  /** When it would have been, ISO 8601 in UTC. */
  planned: z.iso.datetime(),
  /** When it is now; null where it is canceled. */
  to: z.iso.datetime().nullable(),
  by: z.string().max(60),
});
export type StartChange = z.infer<typeof StartChangeSchema>;

/** Runs of a workload that begin by themselves. */
export const ScheduleSchema = z.object({
  id: z.string(),
  projectId: z.string(),
  name: z.string().trim().min(1, 'Give the schedule a name.').max(80),
  workloadId: z.string().min(1, 'Choose a workload.'),
  /** The environment in which it runs, where the workload names none. */
  environmentId: z.string().nullable(),
  zone: ZoneSchema,
  repetition: RepetitionSchema,
  /** How long before a start it is looked whether the run can begin, in minutes. */
  readinessMinutes: z.number().int().min(1, 'Look at least one minute before.').max(240, 'Look at most four hours before.').default(20),
  /** What happens at a start for which something was found that will fail. */
  whenNotReady: z.enum(['leave out', 'begin']).default('leave out'),
  /** Ids of the groups of recipients that are told. */
  notify: z.array(z.string()).max(20).default([]),
  changes: z.array(StartChangeSchema).max(500).default([]),
  isPaused: z.boolean().default(false),
});
export type Schedule = z.infer<typeof ScheduleSchema>;

/** What somebody says of a schedule; its id and its changes are for the server. */
export const GivenScheduleSchema = ScheduleSchema.omit({ id: true, projectId: true, changes: true });
export type GivenSchedule = z.infer<typeof GivenScheduleSchema>;

/** A moment by the clock on the wall, without a zone: 2026-12-31T18:00. */
const LocalMomentSchema = z.string().regex(/^\d{4}-\d{2}-\d{2}T([01]\d|2[0-3]):[0-5]\d$/, 'Write day and time, as 2026-12-31T18:00.');

/** A time in which no run may begin and none may go on. */
export const BlackoutSchema = z.object({
  id: z.string(),
  why: z.string().trim().min(1, 'Say why nothing may run then.').max(120),
  zone: ZoneSchema,
  /** The environment that it is about; null for all of them. */
  environmentId: z.string().nullable().default(null),
  when: z.discriminatedUnion('kind', [
    z
      .object({ kind: z.literal('once'), from: LocalMomentSchema, until: LocalMomentSchema })
      .refine(({ from, until }) => from < until, 'It has to end after it begins.'),
    /** Where it ends no later than it begins, it ends on the next day. */
    z.object({
      kind: z.literal('weekly'),
      days: z.array(WeekdaySchema).min(1, 'Choose a day of the week.').max(7),
      from: WallTimeSchema,
      until: WallTimeSchema,
    }),
  ]),
});
export type Blackout = z.infer<typeof BlackoutSchema>;
