import * as z from 'zod';

/** A figure of an exposition that is shown, with the name and unit that people know it by. */
export const ShownFigureSchema = z.object({
  id: z.string(),
  /** Name of the samples, such as `node_run_queue_tasks`. */
  metric: z.string().min(1),
  /** Labels that a sample must have; several samples that fit are added up. */
  labels: z.record(z.string(), z.string()).default({}),
  name: z.string().trim().min(1, 'Give the figure a name.').max(80),
  unit: z.string().max(20),
  /** As it is, or how much it grows in a second, as is wanted of counters. */
  as: z.enum(['value', 'rate']),
  /** What is shown is the figure times this: 100 makes per cent of a ratio. */
  scale: z.number(),
});
export type ShownFigure = z.infer<typeof ShownFigureSchema>;

const common = {
  id: z.string(),
  name: z.string().trim().min(1, 'Give the host a name.').max(80),
  everySeconds: z.number().int().min(1).max(60),
};

/** Figures of a host, read every so many seconds: of this machine, or of any host that gives them out as OpenMetrics text. */
export const WatchSchema = z.discriminatedUnion('kind', [
  z.object({ ...common, kind: z.literal('machine') }),
  z.object({
    ...common,
    kind: z.literal('open-metrics'),
    url: z.string().refine((text) => URL.canParse(text) && /^https?:$/.test(new URL(text).protocol), {
      message: 'Write an address, such as http://127.0.0.1:4701/metrics.',
    }),
    shown: z.array(ShownFigureSchema).max(60),
  }),
]);
export type Watch = z.infer<typeof WatchSchema>;

/** What is read of this machine; bytes a second in kB/s, shares in per cent. */
export const machineFigures = [
  { id: 'processor', name: 'processor', unit: '%' },
  { id: 'run-queue', name: 'run queue, for each processor', unit: 'tasks' },
  { id: 'memory', name: 'memory in use', unit: '%' },
  { id: 'page-faults', name: 'hard page faults', unit: '/s' },
  { id: 'disk-wait', name: 'waits for disk', unit: '%' },
  { id: 'disk-read', name: 'read from disk', unit: 'kB/s' },
  { id: 'disk-write', name: 'written to disk', unit: 'kB/s' },
  { id: 'net-in', name: 'received', unit: 'kB/s' },
  { id: 'net-out', name: 'sent', unit: 'kB/s' },
] as const;

/** This machine, as a project begins. */
export const thisMachine: Watch = { id: 'machine', name: 'This machine', kind: 'machine', everySeconds: 2 };

/** The figures of a watch at a moment; null where there is none. `problem` says why nothing could be read. */
export const HostPointSchema = z.object({
  watch: z.string(),
  second: z.number().int(),
  values: z.record(z.string(), z.number().nullable()),
  problem: z.string().nullable(),
});
export type HostPoint = z.infer<typeof HostPointSchema>;

/** One figure of one host over time, for a lane; gaps are null. */
export const HostSeriesSchema = z.object({
  id: z.string(),
  host: z.string(),
  name: z.string(),
  unit: z.string(),
  points: z.array(z.tuple([z.number(), z.number().nullable()])),
});
export type HostSeries = z.infer<typeof HostSeriesSchema>;
