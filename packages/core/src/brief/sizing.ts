import * as z from 'zod';
import type { Script } from '../script/script.schema.js';
import { iterationSeconds } from '../workload/forecast.js';
import { pacingForRate, usersForRate } from '../workload/sizing.js';
import type { Crew, Workload } from '../workload/workload.schema.js';
import type { Brief, KeyTransaction } from './brief.schema.js';

/** Iterations that a test has to start in an hour for a key transaction: the rate at its peak, grown, scaled to the environment. */
export const wantedRate = ({ ratePerHour, peakFactor, growthPercent }: KeyTransaction, capacityPercent: number): number =>
  (ratePerHour * peakFactor * (1 + growthPercent / 100) * capacityPercent) / 100;

/** A script as the sizing sheet shows it. */
export const SizingRowSchema = z.object({
  scriptId: z.string(),
  script: z.string(),
  /** Key transactions that it plays. */
  transactions: z.array(z.string()),
  /** Iterations an hour that are wanted: those of its most wanted transaction. */
  ratePerHour: z.number(),
  /** As recorded, with pauses. */
  iterationSeconds: z.number(),
  pacingSeconds: z.number(),
  users: z.number().int(),
  /** What the users come to, which are whole. */
  reachedPerHour: z.number(),
  /** What is wrong with it, in a sentence; null where nothing is. */
  warning: z.string().nullable(),
});
export type SizingRow = z.infer<typeof SizingRowSchema>;

/** Room that a pacing leaves over the iteration as recorded, so that a slower system still keeps to it (common practice, no source). */
const pacingRoom = 1.5;
/** A pacing is rounded up to so many seconds. */
const pacingStep = 5;

const roomyPacing = (seconds: number): number => Math.max(pacingStep, Math.ceil((pacingRoom * seconds) / pacingStep) * pacingStep);

/** How long exchanges of a script took when they were recorded, in ms. */
export type RequestMs = (script: Script, exchange: number) => number;

const isNamed = ({ name }: Script, transaction: string): boolean => name.toLowerCase().includes(transaction.toLowerCase());
const playsIt = (script: Script, transaction: string): boolean => script.transactions.some(({ name }) => name === transaction);

/**
 * Which script starts how many iterations an hour, so that each key transaction comes as often as is wanted. What few scripts play is dealt out first; what a
 * script brings along counts for its other transactions as well.
 */
function dealRates({ transactions, capacityPercent }: Brief, scripts: readonly Script[]): Map<string, number> {
  const rates = new Map<string, number>();
  const players = (transaction: string) => scripts.filter((script) => playsIt(script, transaction));
  const keysOf = (script: Script) => transactions.filter(({ transaction }) => playsIt(script, transaction)).length;
  const ordered = [...transactions].sort((left, right) => players(left.transaction).length - players(right.transaction).length);
  for (const key of ordered) {
    const own = players(key.transaction);
    const comes = own.reduce((sum, { id }) => sum + (rates.get(id) ?? 0), 0);
    const missing = wantedRate(key, capacityPercent) - comes;
    // The one that is called so, then the one that plays the least beside it; of those alike the one that was worked on most.
    const [script] = [...own].sort(
      (left, right) =>
        Number(right.id === key.scriptId) - Number(left.id === key.scriptId) ||
        Number(isNamed(right, key.transaction)) - Number(isNamed(left, key.transaction)) ||
        keysOf(left) - keysOf(right) ||
        right.handoffs.length - left.handoffs.length,
    );
    if (script && missing > 0) rates.set(script.id, (rates.get(script.id) ?? 0) + missing);
  }
  return rates;
}

/** What the sizing sheet says of each script that is needed for the key transactions. */
export function sizingOf(brief: Brief, scripts: readonly Script[], requestMs: RequestMs): SizingRow[] {
  const rates = dealRates(brief, scripts);
  return scripts.flatMap((script) => {
    const ratePerHour = rates.get(script.id);
    if (ratePerHour === undefined) return [];
    const seconds = iterationSeconds(script, recordedCrew(script.id), (exchange) => requestMs(script, exchange));
    const pacingSeconds = brief.pacing[script.id] ?? roomyPacing(seconds);
    const users = usersForRate(ratePerHour, pacingSeconds);
    return [
      {
        scriptId: script.id,
        script: script.name,
        transactions: brief.transactions.map(({ transaction }) => transaction).filter((transaction) => playsIt(script, transaction)),
        ratePerHour,
        iterationSeconds: seconds,
        pacingSeconds,
        users,
        reachedPerHour: (3600 * users) / pacingSeconds,
        warning:
          pacingSeconds < seconds
            ? `An iteration took ${seconds.toFixed(1)} s when it was recorded, longer than the pacing of ${pacingSeconds} s: the rate cannot be reached.`
            : null,
      },
    ];
  });
}

/** Users and the pacing with which they play exactly a rate: P = 3600 · N / R. */
export const pacingForUsers = (row: Pick<SizingRow, 'ratePerHour'>, users: number): number => pacingForRate(row.ratePerHour, users);

const recordedCrew = (scriptId: string): Crew => ({
  id: 'c',
  name: '',
  scriptId,
  users: 1,
  think: { kind: 'recorded', factor: 1, ms: 0, capMs: 3_600_000 },
  pacing: { kind: 'none', seconds: 0 },
  onFailure: 'next-iteration',
});

/** Seconds over which one user more comes, and for which all stay (common practice, no source). */
const secondsPerUser = 2;
const holdSeconds = 900;

/** The workload of a sizing sheet: a crew for each script, paced from start to start. */
export function workloadOf(brief: Brief, rows: readonly SizingRow[]): Omit<Workload, 'id' | 'projectId'> {
  const playing = rows.filter(({ users }) => users > 0);
  const users = playing.reduce((sum, row) => sum + row.users, 0);
  return {
    name: brief.title === '' ? 'Workload of the brief' : brief.title,
    crews: playing.map((row, at) => ({
      ...recordedCrew(row.scriptId),
      id: `c${at + 1}`,
      name: row.script,
      users: row.users,
      // What is left over of whole users goes into the pacing, so that the rate is met exactly.
      pacing: { kind: 'start-to-start', seconds: Number(pacingForUsers(row, row.users).toFixed(2)) },
    })),
    curve: { kind: 'ramp', together: 1, rampUpSeconds: secondsPerUser * users, holdSeconds, rampDownSeconds: 0, atEnd: 'iteration' },
    criteria: [],
    generators: 1,
    seed: '1',
  };
}

/** A workload may be off from the brief by this share (common practice, no source). */
const rateTolerance = 0.05;

/** Iterations that a crew starts in an hour, as far as can be told from what was recorded. */
function rateOf(workload: Workload, crew: Crew, script: Script, requestMs: RequestMs): number {
  if (workload.curve.kind === 'arrivals') return crew.ratePerHour ?? 0;
  const seconds = iterationSeconds(script, crew, (exchange) => requestMs(script, exchange));
  const { kind, seconds: pacing } = crew.pacing;
  const cycle = kind === 'start-to-start' ? Math.max(pacing, seconds) : seconds + (kind === 'end-to-start' ? pacing : 0);
  return cycle > 0 ? (3600 * crew.users) / cycle : 0;
}

/** Where a workload does not ask for what the brief wants, in sentences: of each key transaction how often it comes. */
export function misfits(brief: Brief, workload: Workload, scripts: readonly Script[], requestMs: RequestMs): string[] {
  const hourly = (rate: number) => Math.round(rate).toLocaleString('en');
  return brief.transactions.flatMap((key) => {
    const wanted = wantedRate(key, brief.capacityPercent);
    if (wanted === 0) return [];
    const asked = workload.crews.reduce((sum, crew) => {
      const script = scripts.find(({ id }) => id === crew.scriptId);
      return script && playsIt(script, key.transaction) ? sum + rateOf(workload, crew, script, requestMs) : sum;
    }, 0);
    const share = asked / wanted;
    if (Math.abs(share - 1) <= rateTolerance) return [];
    const start = `The brief wants “${key.transaction}” ${hourly(wanted)} times an hour`;
    return [
      asked === 0
        ? `${start}, and this workload does not play it.`
        : `${start}, and this workload asks for ${hourly(asked)} (${(100 * share).toFixed(0)} %).`,
    ];
  });
}
