import * as z from 'zod';
import { emptyBrief, type Brief } from '../brief/brief.schema.js';
import { askAgain, fingerprintOf } from '../brief/signature.js';
import type { DataTable } from '../data/data-table.schema.js';
import { resultOf, type Rehearsal } from '../rehearse/rehearsal.schema.js';
import { boundColumns } from '../script-edit/bind-value.js';
import { actionCountWords, type Script } from '../script/script.schema.js';
import type { Run } from '../analyse/run.schema.js';
import type { ScheduledStart } from '../schedule/scheduled-start.schema.js';
import type { Take } from '../take/take.schema.js';
import type { Workload } from '../workload/workload.schema.js';

const CellSchema = z.object({
  shape: z.enum(['proven', 'unproven', 'passed', 'drifted', 'failed', 'none']),
  figure: z.string(),
  detail: z.string(),
  /** Where a click leads. */
  link: z.string(),
});
export type BoardCell = z.infer<typeof CellSchema>;

/** One row for each script, one cell for each thing that makes a test whole. */
export const BoardSchema = z.object({
  rows: z.array(
    z.object({
      scriptId: z.string(),
      name: z.string(),
      detail: z.string(),
      take: CellSchema,
      handoffs: CellSchema,
      data: CellSchema,
      rehearsal: CellSchema,
      workload: CellSchema,
      lastRun: CellSchema,
    }),
  ),
  next: z.array(z.object({ title: z.string(), reason: z.string(), action: z.string(), link: z.string() })),
});
export type Board = z.infer<typeof BoardSchema>;

/** What the board is made from. Rehearsals and runs are given newest first. */
export interface BoardInput {
  takes: readonly (Take & { exchangeCount: number })[];
  scripts: readonly Script[];
  tables: readonly DataTable[];
  rehearsals: ReadonlyMap<string, readonly Rehearsal[]>;
  workloads: readonly Workload[];
  runs: readonly Run[];
  brief: Brief;
  /** Newest first. */
  starts: readonly ScheduledStart[];
}

const many = (count: number, singular: string, more = `${singular}s`): string =>
  `${count.toLocaleString('en')} ${count === 1 ? singular : more}`;

/** The project at a glance, and at most three things to do next, each with its reason. */
export function makeBoard(input: BoardInput): Board {
  const rows = input.scripts.map((script) => boardRow(script, input));
  return { rows, next: nextSteps(input).slice(0, 3) };
}

function boardRow(script: Script, input: BoardInput): Board['rows'][number] {
  const link = `/scripts/${script.id}`;
  const takeName = (id: string | null) => input.takes.find((take) => take.id === id)?.name;
  const second = takeName(script.secondTakeId);
  const rehearsal = input.rehearsals.get(script.id)?.[0];
  const tables = [...boundColumns(script).keys()].map((id) => input.tables.find((table) => table.id === id));
  const free = tables.reduce((sum, table) => sum + (table ? table.rowCount - table.spentCount : 0), 0);
  const workload = input.workloads.find((candidate) => candidate.crews.some((crew) => crew.scriptId === script.id));
  const users = workload?.crews.filter((crew) => crew.scriptId === script.id).reduce((sum, crew) => sum + crew.users, 0) ?? 0;
  const run = input.runs.find((candidate) => candidate.workload.crews.some((crew) => crew.scriptId === script.id));
  const proven = script.handoffs.filter((handoff) => handoff.evidence === 'proven').length;
  return {
    scriptId: script.id,
    name: script.name,
    detail: `${actionCountWords(script)}, ${many(script.transactions.length, 'transaction')}`,
    take: {
      shape: takeName(script.takeId) ? 'passed' : 'failed',
      figure: takeName(script.takeId) ?? 'deleted',
      detail: second ? `and ${second}` : 'one only',
      link: `/takes/${script.takeId}`,
    },
    handoffs:
      script.handoffs.length === 0
        ? { shape: 'none', figure: 'none yet', detail: 'not correlated', link }
        : {
            shape: script.unsure.length > 0 ? 'drifted' : 'passed',
            figure: String(script.handoffs.length),
            detail:
              script.unsure.length > 0
                ? `${script.unsure.length} unsure`
                : proven === script.handoffs.length
                  ? 'all proven'
                  : `${proven} proven`,
            link,
          },
    data:
      tables.length === 0
        ? { shape: 'none', figure: 'none', detail: 'as recorded', link: '/data' }
        : {
            shape: free > 0 ? 'passed' : 'failed',
            figure: many(free, 'free row'),
            detail: tables[0]?.name ?? 'a table is gone',
            link: tables[0] ? `/data/${tables[0].id}` : '/data',
          },
    rehearsal: !rehearsal
      ? { shape: 'none', figure: 'not yet', detail: '', link: `${link}/rehearsal` }
      : {
          shape: resultOf(rehearsal),
          figure: rehearsal.divergence ? `at step ${rehearsal.divergence.number}` : resultOf(rehearsal),
          detail: `rehearsal ${rehearsal.number}`,
          link: `${link}/rehearsal`,
        },
    workload: workload
      ? { shape: 'passed', figure: many(users, 'user'), detail: workload.name, link: `/workloads/${workload.id}` }
      : { shape: 'none', figure: 'none', detail: '', link: '/workloads' },
    lastRun: !run
      ? { shape: 'none', figure: 'not yet', detail: '', link: '/runs' }
      : {
          shape: run.verdict === 'held' ? 'passed' : run.verdict === 'missed' ? 'failed' : 'drifted',
          figure: run.verdict === 'held' ? 'criteria held' : run.verdict === 'missed' ? 'criteria missed' : run.state,
          detail: `run ${run.number}`,
          link: `/runs/${run.id}`,
        },
  };
}

function nextSteps(input: BoardInput): Board['next'] {
  const next: Board['next'] = [];
  const add = (title: string, reason: string, action: string, link: string) => next.push({ title, reason, action, link });
  for (const { state, schedule, text, readiness } of newestStarts(input.starts)) {
    const bad = readiness?.points.find((point) => point.state === 'bad');
    if (state === 'waiting' && bad) add(`See to the next start of ${schedule}`, bad.text, 'Open the schedule', '/schedule');
    if (state === 'missed') add(`The last start of ${schedule} was missed`, text, 'Open the schedule', '/schedule');
  }
  const asked = askAgain(input.brief);
  if (asked !== null) add('Have the brief signed again', asked, 'Open the brief', '/brief');
  if (input.takes.length === 0)
    add('Record the first take', 'Everything starts from what a browser sends.', 'Open the recording room', '/takes/record');
  for (const take of input.takes)
    if (
      take.exchangeCount > 0 &&
      !input.scripts.some((script) => script.takeId === take.id || script.secondTakeId === take.id) &&
      input.scripts.length === 0
    ) {
      add(
        `Make a script from ${take.name}`,
        `It holds ${many(take.exchangeCount, 'exchange')} and no script uses it yet.`,
        'Open the take',
        `/takes/${take.id}`,
      );
      break;
    }
  for (const script of input.scripts) {
    const rehearsal = input.rehearsals.get(script.id)?.[0];
    const link = `/scripts/${script.id}`;
    const workload = input.workloads.find((candidate) => candidate.crews.some((crew) => crew.scriptId === script.id));
    const run = input.runs.find((candidate) => candidate.workload.crews.some((crew) => crew.scriptId === script.id));
    if (!rehearsal) add(`Rehearse ${script.name}`, 'Nobody knows yet whether it replays.', 'Open the script', link);
    else if (rehearsal.verdict !== 'passed')
      add(
        script.handoffs.length === 0 ? `Correlate ${script.name}` : `Repair ${script.name}`,
        rehearsal.divergence?.sentence ?? 'The last rehearsal left the take.',
        'Open the script',
        link,
      );
    else if (resultOf(rehearsal) !== 'proven')
      add(
        `Prove the pass of ${script.name}`,
        rehearsal.proof?.open[0]?.sentence ?? 'It passed once. Only a second time in a row shows that it does what was recorded.',
        'Open the rehearsal',
        `${link}/rehearsal`,
      );
    else if (boundColumns(script).size === 0)
      add(`Give ${script.name} its own data`, 'Every user would enter what was recorded.', 'Open the data', '/data');
    else if (!workload)
      add(
        `Plan a workload for ${script.name}`,
        'It replays, and has data. Say how many users, and how fast.',
        'Open the workloads',
        '/workloads',
      );
    else if (!run) add(`Run ${workload.name}`, 'It was never run.', 'Open the workload', `/workloads/${workload.id}`);
    if (script.unsure.length > 0)
      add(
        `Look at ${many(script.unsure.length, 'unsure value')} in ${script.name}`,
        'A second take would settle what a rehearsal could not.',
        'Open the script',
        link,
      );
  }
  const missed = input.runs[0];
  if (missed?.verdict === 'missed') add(`Look at run ${missed.number}`, 'It missed its criteria.', 'Open the run', `/runs/${missed.id}`);
  if (input.runs.length > 0 && fingerprintOf(input.brief) === fingerprintOf(emptyBrief))
    add('Say in the brief what good is', 'Runs are judged by what business and operations agreed on.', 'Open the brief', '/brief');
  return next;
}

/** The newest start of each schedule. */
const newestStarts = (starts: readonly ScheduledStart[]): ScheduledStart[] =>
  starts.filter(({ scheduleId }, at) => starts.findIndex((start) => start.scheduleId === scheduleId) === at);
