import { groupFailures } from '../analyse/failures.js';
import { stepNameOf } from '../analyse/step-name.js';
import type { RunResult } from '../analyse/run.schema.js';
import { failureKind } from '../failure/failure-reason.js';
import type { HostSeries } from '../hosts/watch.schema.js';
import type { Frame } from '../measure/frame.schema.js';
import type { Script } from '../script/script.schema.js';
import { mean, type Random } from '../statistics/interval.js';
import { blocksOf, differenceInterval, figureOf, meanOfBlocks, percentileOfBlocks, type Block } from './blocks.js';
import { changesOf, noHistories, type Histories } from './changes.js';
import type { ComparedRun, RunComparison, Difference } from './compare.schema.js';

/** A run with all that a comparison wants of it. */
export interface MeasuredRun {
  result: RunResult;
  frames: readonly Frame[];
  hosts: readonly HostSeries[];
  /** The crew of the run that this is; absent for the run as a whole. */
  part?: string;
}

export const mostCompared = 6;

/** How a run stands in a comparison or a trend. */
export const comparedRun = ({ result: { run, period, trust }, part }: Pick<MeasuredRun, 'result' | 'part'>): ComparedRun => ({
  id: run.id,
  number: run.number,
  workload: run.workload.name,
  startedAt: run.startedAt,
  release: run.release ?? null,
  ...(part === undefined ? {} : { part }),
  verdict: run.verdict,
  isTrusted: trust.every(({ good }) => good),
  fromSecond: period.fromSecond,
  toSecond: period.toSecond,
});

const msText = (value: number): string =>
  `${Math.abs(value) >= 100 ? Math.round(value).toLocaleString('en') : Math.abs(value) >= 10 ? value.toFixed(1) : value.toFixed(2)} ms`;

/** Says how one transaction differs between two runs. `comparisons` are judged together. */
export function transactionDifference(
  name: string,
  before: readonly Block[],
  after: readonly Block[],
  random: Random,
  comparisons: number,
): Difference {
  const difference = differenceInterval(before, after, meanOfBlocks, random, comparisons);
  const p95 = differenceInterval(before, after, percentileOfBlocks(95), random, comparisons);
  if (!difference) return { mean: null, p95, verdict: 'few', sentence: `${name}: too few samples to tell a difference.` };
  const level = figureOf(before, meanOfBlocks);
  const share = (100 * difference.value) / level;
  const sure = `95 % sure: ${msText(difference.low)} to ${msText(difference.high)}`;
  if (difference.low > 0 || difference.high < 0) {
    const verdict = difference.low > 0 ? 'slower' : 'faster';
    return {
      mean: difference,
      p95,
      verdict,
      sentence: `${name} is ${verdict} by ${msText(Math.abs(difference.value))}, ${Math.abs(share).toFixed(0)} % (${sure}).`,
    };
  }
  const shown = Math.max(difference.high, -difference.low);
  return {
    mean: difference,
    p95,
    verdict: 'none',
    sentence: `${name}: no difference that these figures could show; one of more than ${msText(shown)} (${((100 * shown) / level).toFixed(0)} %) would have been seen.`,
  };
}

/**
 * Compares runs with the first of them. Differences of means and percentiles have an interval by a bootstrap over blocks of the hold, so wide that all of them hold
 * together with 95 %.
 */
export function compareRuns(
  measured: readonly MeasuredRun[],
  scripts: readonly Script[],
  random: Random,
  histories: Histories = noHistories,
): RunComparison {
  const [first, ...others] = measured;
  if (!first) throw new RangeError('A comparison needs a run.');
  const blocks = measured.map(({ result, frames }) => blocksOf(frames, result.period));
  const played = measured.map(({ result }) => new Set(result.rows.filter(({ step }) => step === null).map(({ name }) => name)));
  // What one crew alone plays is set against nothing.
  const leastPlaying = first.part === undefined ? 1 : 2;
  const names = [...new Set(played.flatMap((own) => [...own]))].filter(
    (name) => played.filter((own) => own.has(name)).length >= leastPlaying,
  );
  const comparisons = Math.max(1, names.length * others.length);
  const transactions = names.map((name) => ({
    name,
    figures: measured.map(({ result }) => {
      const summary = result.rows.find((row) => row.step === null && row.name === name)?.summary;
      return summary ? { count: summary.count, meanMs: summary.meanMs, p95Ms: summary.p95Ms, errorPercent: summary.errorPercent } : null;
    }),
    differences: others.map((_, at) =>
      transactionDifference(name, blocks[0]?.get(name) ?? [], blocks[at + 1]?.get(name) ?? [], random, comparisons),
    ),
  }));
  const failures = comparedFailures(measured, scripts);
  return {
    runs: measured.map((run) => comparedRun(run)),
    sentences: others.flatMap((run, at) =>
      sentencesOf(
        first,
        run,
        transactions
          .filter(({ name }) => first.part === undefined || (played[0]?.has(name) === true && played[at + 1]?.has(name) === true))
          .map(({ differences }) => differences[at]),
      ),
    ),
    transactions,
    criteria: comparedCriteria(measured),
    failures,
    hosts: comparedHosts(measured),
    // Crews of one run differ in what they are, which everybody knows.
    changes: others.flatMap(({ result, part }) => (part === undefined ? changesOf(first.result.run, result.run, histories) : [])),
  };
}

function sentencesOf(first: MeasuredRun, run: MeasuredRun, differences: readonly (Difference | undefined)[]): string[] {
  const of = (verdict: Difference['verdict']) => differences.filter((difference) => difference?.verdict === verdict);
  const names = (verdict: Difference['verdict']) =>
    of(verdict)
      .sort((left, right) => Math.abs(right?.mean?.value ?? 0) - Math.abs(left?.mean?.value ?? 0))
      .map((difference) => difference?.sentence ?? '');
  const nameOf = ({ result, part }: MeasuredRun) =>
    part === undefined ? `run ${result.run.number}${result.run.release === undefined ? '' : ` (${result.run.release})`}` : `crew ${part}`;
  const [name, firstName] = [nameOf(run), nameOf(first)];
  const head = `${name[0]?.toUpperCase() ?? ''}${name.slice(1)} against ${firstName}: `;
  const [slower, faster, few] = [of('slower').length, of('faster').length, of('few').length];
  const verdict =
    differences.length === 0
      ? 'they play no transaction in common.'
      : slower + faster === 0
        ? 'no transaction differs by more than chance.'
        : `${slower === 0 ? 'none' : slower} of ${differences.length} transactions ${slower === 1 ? 'is' : 'are'} slower${faster > 0 ? `, ${faster} faster` : ''}.`;
  return [
    `${head}${verdict}${few > 0 ? ` ${few === 1 ? 'One has' : `${few} have`} too few samples to tell.` : ''}`,
    ...names('slower'),
    ...names('faster'),
  ];
}

function comparedCriteria(measured: readonly MeasuredRun[]): RunComparison['criteria'] {
  const nameOf = ({ criterion: { measure, transaction } }: RunResult['criteria'][number]) =>
    `${transaction ?? 'All transactions'}: ${measure === 'error-rate' ? 'error rate' : measure}`;
  return [...new Set(measured.flatMap(({ result }) => result.criteria.map(nameOf)))].map((name) => ({
    name,
    verdicts: measured.map(({ result }) => result.criteria.find((verdict) => nameOf(verdict) === name) ?? null),
  }));
}

function comparedFailures(measured: readonly MeasuredRun[], scripts: readonly Script[]): RunComparison['failures'] {
  const rows = new Map<string, RunComparison['failures'][number]>();
  measured.forEach(({ result }, at) => {
    for (const failure of groupFailures(result.failures)) {
      const step = stepNameOf(result.run.workload, scripts, failure);
      const key = `${failure.transaction} ${step} ${failureKind(failure)}`;
      const row = rows.get(key) ?? {
        step,
        message: failure.message,
        counts: measured.map(() => 0),
        state: 'both',
      };
      row.counts[at] = (row.counts[at] ?? 0) + failure.count;
      rows.set(key, row);
    }
  });
  return [...rows.values()].map((row) => {
    const [before = 0, ...after] = row.counts;
    const later = after.reduce((sum, count) => sum + count, 0);
    return { ...row, state: before === 0 ? ('new' as const) : later === 0 ? ('gone' as const) : ('both' as const) };
  });
}

function comparedHosts(measured: readonly MeasuredRun[]): RunComparison['hosts'] {
  const keyOf = ({ host, name, unit }: HostSeries) => JSON.stringify([`${host}: ${name}`, unit]);
  return [...new Set(measured.flatMap(({ hosts }) => hosts.map(keyOf)))].map((key) => {
    const [name = '', unit = ''] = JSON.parse(key) as string[];
    return {
      name,
      unit,
      means: measured.map(({ hosts, result: { period } }) => {
        const values = hosts
          .filter((series) => keyOf(series) === key)
          .flatMap(({ points }) =>
            points.flatMap(([second, value]) => (value !== null && second >= period.fromSecond && second < period.toSecond ? [value] : [])),
          );
        return values.length === 0 ? null : mean(values);
      }),
    };
  });
}
