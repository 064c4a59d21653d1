import type { Run, RunResult } from '../analyse/run.schema.js';
import type { Block, ReportDocument } from '../document/document.schema.js';
import type { Finding } from '../findings/finding.schema.js';
import { awayWords, momentWords } from '../schedule/start-words.js';
import type { ScheduledStart } from '../schedule/scheduled-start.schema.js';
import type { NoticeKind } from './notice.schema.js';

/** Findings that a notice of a verdict tells, at the most. */
const mostFindings = 5;

const document = (title: string, facts: ReportDocument['facts'], blocks: Block[]): ReportDocument => ({
  title,
  subtitle: '',
  facts,
  logo: null,
  blocks,
});

/** What is told of a scheduled start: that it will not be able to begin, was missed, was left out or has begun. */
export function startNotice(
  kind: Exclude<NoticeKind, 'verdict' | 'trial'>,
  { schedule, workload, zone, at, text, readiness }: ScheduledStart,
  project: string,
  nowMs: number,
): ReportDocument {
  const ms = Date.parse(at);
  const titles: Record<typeof kind, string> = {
    'not ready': `“${schedule}” will not be able to begin`,
    missed: `A start of “${schedule}” was missed`,
    'left out': `A start of “${schedule}” was left out`,
    began: `“${schedule}” has begun`,
  };
  const points = kind === 'began' ? [] : (readiness?.points ?? []).filter(({ state }) => state !== 'good');
  return document(
    titles[kind],
    [
      { name: 'Project', value: project },
      { name: 'Workload', value: workload },
      { name: 'Start', value: `${momentWords(ms, zone)}, ${awayWords(ms, nowMs)}` },
    ],
    [
      ...(text === '' ? [] : [{ kind: 'text' as const, text, tone: kind === 'began' ? ('plain' as const) : ('bad' as const) }]),
      ...(points.length === 0
        ? []
        : [
            { kind: 'heading' as const, level: 2 as const, text: 'What was found' },
            { kind: 'list' as const, items: points.map((point) => point.text) },
          ]),
    ],
  );
}

const verdictWords: Record<Run['verdict'], string> = {
  held: 'all criteria held',
  missed: 'criteria were missed',
  none: 'no criteria were set',
};

/** What is told of a run that has ended. */
export function verdictNotice(result: RunResult, findings: readonly Finding[], project: string): ReportDocument {
  const { run, criteria, hostCriteria, trust } = result;
  const verdict = run.state === 'done' ? verdictWords[run.verdict] : `it was ${run.state}`;
  const tone = run.state !== 'done' || run.verdict === 'missed' ? 'bad' : run.verdict === 'held' ? 'good' : 'care';
  const missed = [...criteria, ...hostCriteria].filter(({ held }) => !held).map(({ sentence }) => sentence);
  const doubts = trust.filter(({ good }) => !good).map(({ sentence }) => sentence);
  const list = (heading: string, items: readonly string[]): Block[] =>
    items.length === 0
      ? []
      : [
          { kind: 'heading', level: 2, text: heading },
          { kind: 'list', items: [...items] },
        ];
  return document(
    `Run ${run.number} of “${run.workload.name}”: ${verdict}`,
    [
      { name: 'Project', value: project },
      { name: 'Environment', value: run.environment?.name ?? 'not kept' },
      {
        name: 'Iterations',
        value: `${result.iterationsPassed.toLocaleString('en')} passed, ${result.iterationsFailed.toLocaleString('en')} failed`,
      },
    ],
    [
      { kind: 'text', text: `${verdict[0]?.toUpperCase() ?? ''}${verdict.slice(1)}.${run.note === null ? '' : ` ${run.note}`}`, tone },
      ...list('What did not hold', missed),
      ...list(
        'What the run shows',
        findings.slice(0, mostFindings).map(({ sentence }) => sentence),
      ),
      ...list('What speaks against trusting its figures', doubts),
    ],
  );
}

/** What a trial of the settings sends. */
export const trialNotice = (project: string, group: string, by: string): ReportDocument =>
  document(
    'This is how you will be told',
    [
      { name: 'Project', value: project },
      { name: 'Group', value: group },
      { name: 'Tried by', value: by },
    ],
    [{ kind: 'text', text: 'Somebody tried whether notices of this project reach you. There is nothing to do.', tone: 'plain' }],
  );
