import type { RunResult } from '../analyse/run.schema.js';
import type { Summary } from '../measure/tally.schema.js';

const measures: Readonly<Record<string, (summary: Summary) => string>> = {
  count: ({ count }) => count.toLocaleString('en'),
  errors: ({ errorPercent }) => `${errorPercent.toFixed(2)} %`,
  mean: ({ meanMs }) => ms(meanMs),
  p50: ({ p50Ms }) => ms(p50Ms),
  p90: ({ p90Ms }) => ms(p90Ms),
  p95: ({ p95Ms }) => ms(p95Ms),
  p99: ({ p99Ms }) => ms(p99Ms),
  max: ({ maxMs }) => ms(maxMs),
};

const ms = (value: number): string => `${Math.round(value).toLocaleString('en')} ms`;

/** What may stand in a text: a measure and a transaction, or a figure of the run. */
export const liveFigureHint = `${Object.keys(measures).join(', ')} of a transaction; users, iterations, verdict, hold.`;

/**
 * Puts figures of a run into a text: `~{p95 Book intake}` becomes 414 ms. A literal `~{` is written `~~{`. What names nothing stays as it is written, and is told.
 */
export function withFigures(text: string, result: RunResult): { text: string; unknown: string[] } {
  const { run, period, iterationsPassed, iterationsFailed } = result;
  const unknown: string[] = [];
  const ofRun: Readonly<Record<string, string>> = {
    users: run.workload.crews.reduce((sum, crew) => sum + crew.users, 0).toLocaleString('en'),
    iterations: (iterationsPassed + iterationsFailed).toLocaleString('en'),
    verdict: run.verdict === 'held' ? 'held' : run.verdict === 'missed' ? 'missed' : 'no verdict',
    hold: `${period.toSecond - period.fromSecond} s`,
  };
  const filled = text.replace(/~~\{|~\{([^}]*)\}/g, (written, name: string | undefined) => {
    if (name === undefined) return '~{';
    const known = ofRun[name.trim()];
    if (known !== undefined) return known;
    const [measure = '', ...words] = name.trim().split(/\s+/);
    const row = result.rows.find((candidate) => candidate.step === null && candidate.name === words.join(' '));
    const figure = Object.hasOwn(measures, measure) ? measures[measure] : undefined;
    if (row && figure) return figure(row.summary);
    unknown.push(written);
    return written;
  });
  return { text: filled, unknown };
}
