import * as z from 'zod';

const bytes = z.number().nonnegative();

/** How a part of the server is: good, or what is the matter and what to do. */
export const HealthSchema = z.object({ what: z.string(), isGood: z.boolean(), text: z.string() });

/** What an administrator asks about this server. */
export const AboutSchema = z.object({
  version: z.string(),
  node: z.string(),
  system: z.string(),
  pid: z.number(),
  /** ISO 8601. */
  startedAt: z.string(),
  memoryBytes: bytes,
  database: z.object({ kind: z.enum(['embedded', 'PostgreSQL']), place: z.string(), bytes: bytes.nullable() }),
  /** What is kept in files outside the database. */
  folders: z.array(z.object({ what: z.string(), path: z.string(), bytes, files: z.number() })),
  disk: z.object({ freeBytes: bytes, totalBytes: bytes }).nullable(),
  /** What the last stop broke off: numbers of runs, names of takes, and exchanges that a journal had kept. */
  interrupted: z.object({ runs: z.array(z.number()), takes: z.array(z.string()), exchanges: z.number() }),
  health: z.array(HealthSchema),
  /** The last warnings and errors, the newest first. */
  log: z.object({
    file: z.string().nullable(),
    recent: z.array(z.object({ time: z.string(), level: z.enum(['info', 'warn', 'error']), what: z.string() })),
  }),
});
export type About = z.infer<typeof AboutSchema>;
