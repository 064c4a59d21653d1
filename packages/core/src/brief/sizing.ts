import type { Script } from '../script/script.schema.js';
import { iterationSeconds } from '../workload/forecast.js';
import { pacingForRate, usersForRate } from '../workload/sizing.js';
import type { Crew, Workload } from '../workload/workload.schema.js';
import type { Brief, KeyTransaction } from './brief.schema.js';

/** Iterations that a test has to start in an hour for a key transaction: the rate at its peak, grown, scaled to the environment. */
export const wantedRate = ({ ratePerHour, peakFactor, growthPercent }: KeyTransaction, capacityPercent: number): number =>
  (ratePerHour * peakFactor * (1 + growthPercent / 100) * capacityPercent) / 100;

/** A script as the sizing sheet shows it. */
export interface SizingRow {
  scriptId: string;
  script: string;
  /** Key transactions that it plays. */
  transactions: string[];
  /** Iterations an hour that are wanted: those of its most wanted transaction. */
  ratePerHour: number;
  /** As recorded, with pauses. */
  iterationSeconds: number;
  pacingSeconds: number;
  users: number;
  /** What the users come to, which are whole. */
  reachedPerHour: number;
  /** What is wrong with it, in a sentence; null where nothing is. */
  warning: string | null;
}

/** Room that a pacing leaves over the iteration as recorded, so that a slower system still keeps to it (common practice, no source). */
const pacingRoom = 1.5;
/** A pacing is rounded up to so many seconds. */
const pacingStep = 5;

const roomyPacing = (seconds: number): number => Math.max(pacingStep, Math.ceil((pacingRoom * seconds) / pacingStep) * pacingStep);

/** What the sizing sheet says of each script that plays key transactions. `requestMs` gives how long exchanges of its take took. */
export function sizingOf(brief: Brief, scripts: readonly Script[], requestMs: (script: Script, exchange: number) => number): SizingRow[] {
  return scripts.flatMap((script) => {
    const names = new Set(script.transactions.map(({ name }) => name));
    const keys = brief.transactions.filter(({ transaction }) => names.has(transaction));
    if (keys.length === 0) return [];
    const ratePerHour = Math.max(...keys.map((key) => wantedRate(key, brief.capacityPercent)));
    const seconds = iterationSeconds(script, recordedCrew(script.id), (exchange) => requestMs(script, exchange));
    const pacingSeconds = brief.pacing[script.id] ?? roomyPacing(seconds);
    const users = Math.max(ratePerHour > 0 ? 1 : 0, usersForRate(ratePerHour, pacingSeconds));
    return [
      {
        scriptId: script.id,
        script: script.name,
        transactions: keys.map(({ transaction }) => transaction),
        ratePerHour,
        iterationSeconds: seconds,
        pacingSeconds,
        users,
        reachedPerHour: users === 0 ? 0 : (3600 * users) / pacingSeconds,
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

/** Where a workload does not ask for what the brief wants, in sentences. One with arrivals counts by its rate. */
export function misfits(workload: Workload, rows: readonly SizingRow[]): string[] {
  const asked = new Map<string, number>();
  for (const { scriptId, users, pacing, ratePerHour } of workload.crews) {
    const seconds = rows.find((row) => row.scriptId === scriptId)?.iterationSeconds ?? 0;
    const cycle =
      pacing.kind === 'start-to-start'
        ? Math.max(pacing.seconds, seconds)
        : seconds + (pacing.kind === 'end-to-start' ? pacing.seconds : 0);
    const rate = workload.curve.kind === 'arrivals' ? (ratePerHour ?? 0) : cycle > 0 ? (3600 * users) / cycle : 0;
    asked.set(scriptId, (asked.get(scriptId) ?? 0) + rate);
  }
  const hourly = (rate: number) => Math.round(rate).toLocaleString('en');
  return rows.flatMap((row) => {
    const rate = asked.get(row.scriptId);
    if (row.ratePerHour === 0) return [];
    if (rate === undefined)
      return [`The brief wants “${row.script}” ${hourly(row.ratePerHour)} times an hour, and this workload does not play it.`];
    const share = rate / row.ratePerHour;
    if (Math.abs(share - 1) <= rateTolerance) return [];
    return [
      `The brief wants “${row.script}” ${hourly(row.ratePerHour)} times an hour, and this workload asks for ${hourly(rate)} (${(100 * share).toFixed(0)} %).`,
    ];
  });
}
