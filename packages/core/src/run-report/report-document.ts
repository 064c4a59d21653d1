import type { LanePoint, RunResult } from '../analyse/run.schema.js';
import { stepNameOf } from '../analyse/step-name.js';
import { signatureStates } from '../brief/signature.js';
import type { Brief } from '../brief/brief.schema.js';
import type { Baseline } from '../compare/baseline.js';
import type { RunComparison, Trend } from '../compare/compare.schema.js';
import { trendOptions } from '../charts/compare-charts.js';
import { findingChart } from '../charts/finding-chart.js';
import { laneHeights, lanesOptions } from '../charts/lanes-chart.js';
import { paperColour, type ChartOptions } from '../charts/chart-options.js';
import { numberCell, type Block, type Cell, type ReportDocument } from '../document/document.schema.js';
import { clockText } from '../findings/ground.js';
import type { Finding } from '../findings/finding.schema.js';
import type { HostSeries } from '../hosts/watch.schema.js';
import type { Script } from '../script/script.schema.js';
import { curveSeconds, phasesOf } from '../workload/curve.js';
import { withFigures } from './live-figures.js';
import { sectionNames, type ReportSection, type ReportTemplate } from './report-template.schema.js';

/** All that a report of a run is made from. */
export interface ReportMaterial {
  project: string;
  result: RunResult;
  lanes: readonly LanePoint[];
  findings: readonly Finding[];
  hosts: readonly HostSeries[];
  scripts: readonly Script[];
  baseline: Baseline | null;
  /** With other runs, the first of which is what this one is set against; null where none was chosen. */
  comparison: RunComparison | null;
  /** Over all runs of its workload; null where there is one alone, or the report wants none. */
  trend: Trend | null;
  brief: Brief;
  /** When it is made and by whom, as people read it. */
  day: string;
  by: string;
  /** Draws a chart as SVG of this size in pixels. */
  draw: (options: ChartOptions, width: number, height: number) => string;
}

const chartWidth = 980;
/** Figures of hosts that have a lane in a report, at the most. */
const mostHostLanes = 4;
/** Transactions that became worse and have a chart of their own, at the most; its height in pixels. */
const mostTrendCharts = 4;
const trendHeight = 260;

type SectionMaker = (material: ReportMaterial, text: string) => Block[];

/** What each section holds; none where there is nothing to say. */
const makers: Readonly<Record<ReportSection, SectionMaker>> = {
  verdict,
  findings: findingBlocks,
  text: ({ result }, text) =>
    withFigures(text, result)
      .text.split(/\n+/)
      .filter((part) => part.trim() !== '')
      .map((part) => plain(part.trim())),
  trust: ({ result: { trust } }) =>
    trust.map(({ good, sentence }): Block => ({ kind: 'text', text: sentence, tone: good ? 'good' : 'care' })),
  transactions,
  charts,
  comparison,
  trend,
  baseline,
  failures,
  hosts,
  setting,
  brief: briefBlocks,
  definitions,
};

const plain = (text: string): Block => ({ kind: 'text', text, tone: 'plain' });

function table(caption: string, columns: readonly string[], rows: Cell[][]): Block[] {
  if (rows.length === 0) return [];
  return [
    { kind: 'table', caption, columns: columns.map((name) => ({ name: name.replace(/^#/, ''), isNumber: name.startsWith('#') })), rows },
  ];
}

/** A report of a run as a document; every format is made from it, so that all say the same. */
export function reportDocument(template: ReportTemplate, material: ReportMaterial): ReportDocument {
  const { result, project, day, by } = material;
  const { run } = result;
  const blocks: Block[] = [];
  for (const { kind, title, text } of template.sections) {
    const content = makers[kind](material, text);
    if (content.length === 0) continue;
    blocks.push({ kind: 'heading', level: 1, text: title === '' ? sectionNames[kind] : title }, ...content);
  }
  const introduction = withFigures(template.introduction, result).text.trim();
  return {
    title: template.title === '' ? `${run.workload.name}, run ${run.number}` : withFigures(template.title, result).text,
    subtitle: 'Report of a load test',
    facts: [
      { name: 'Project', value: project },
      {
        name: 'Run',
        value: `${run.number}, ${run.startedAt.slice(0, 16).replace('T', ' ')} UTC${run.release === undefined ? '' : `, release ${run.release}`}`,
      },
      { name: 'Environment', value: run.environment?.name ?? run.environmentId },
      { name: 'Issued', value: `${day}, by ${by}` },
    ],
    logo: template.logo,
    blocks: [...(introduction === '' ? [] : introduction.split(/\n+/).map(plain)), ...blocks],
  };
}

function verdict({ result }: ReportMaterial): Block[] {
  const { run, criteria, hostCriteria, period } = result;
  const all = [...criteria, ...hostCriteria];
  const missed = all.filter(({ held }) => !held).length;
  const head =
    run.state !== 'done'
      ? `The run did not come to its end (${run.state}), so there is no verdict.`
      : all.length === 0
        ? 'No criteria were set, so there is no verdict.'
        : missed === 0 && run.verdict !== 'missed'
          ? `All ${all.length} criteria held.`
          : run.stoppedByRule
            ? 'A stop rule ended the run: it did not hold.'
            : `${missed} of ${all.length} criteria missed.`;
  return [
    {
      kind: 'text',
      text: head,
      tone: run.state !== 'done' || all.length === 0 ? 'care' : missed === 0 && run.verdict !== 'missed' ? 'good' : 'bad',
    },
    ...(run.note === null ? [] : [plain(run.note)]),
    ...all.map(({ held, sentence }): Block => ({ kind: 'text', text: sentence, tone: held ? 'good' : 'bad' })),
    {
      kind: 'text',
      text: `Figures are of the hold, from ${clockText(period.fromSecond)} to ${clockText(period.toSecond)} of the run; the ramps do not count.`,
      tone: 'soft',
    },
  ];
}

function findingBlocks({ findings, draw }: ReportMaterial): Block[] {
  return findings
    .filter(({ severity }) => severity !== 'fact')
    .flatMap((finding): Block[] => [
      {
        kind: 'text',
        text: finding.sentence,
        tone: finding.severity === 'grave' ? 'bad' : finding.severity === 'notable' ? 'care' : 'plain',
      },
      { kind: 'text', text: finding.explanation, tone: 'soft' },
      ...(finding.chart
        ? [
            {
              kind: 'figure' as const,
              svg: draw(findingChart(finding.chart, paperColour), 620, 260),
              caption: `${finding.chart.y} over ${finding.chart.x}`,
              width: 620,
              height: 260,
            },
          ]
        : []),
    ]);
}

function transactions({ result: { rows } }: ReportMaterial): Block[] {
  return table(
    'Transactions over the hold; times in ms',
    ['Transaction', '#Count', '#Errors, %', '#Mean', '#Deviation', '#p50', '#p90', '#p95', '#p99', '#Max', '#A second'],
    rows
      .filter(({ step }) => step === null)
      .map(({ name, summary }) => [
        name,
        numberCell(summary.count),
        numberCell(summary.errorPercent, 2),
        numberCell(summary.meanMs),
        numberCell(summary.deviationMs, 1),
        numberCell(summary.p50Ms),
        numberCell(summary.p90Ms),
        numberCell(summary.p95Ms),
        numberCell(summary.p99Ms),
        numberCell(summary.maxMs),
        numberCell(summary.throughput, 2),
      ]),
  );
}

function charts({ result: { run }, lanes, hosts: series, draw }: ReportMaterial): Block[] {
  if (lanes.length === 0) return [];
  const shown = series.filter(({ points }) => points.some(([, value]) => value !== null)).slice(0, mostHostLanes);
  const height = Math.round(560 * laneHeights(shown.length));
  const limits = run.workload.criteria.flatMap(({ measure, limit }) => (measure === 'error-rate' ? [] : [limit]));
  const options = lanesOptions(
    {
      points: lanes,
      seconds: curveSeconds(run.workload),
      limitMs: limits.length === 0 ? null : Math.min(...limits),
      hosts: shown,
      events: run.events ?? [],
      stretch: null,
    },
    paperColour,
  );
  return [
    {
      kind: 'figure',
      svg: draw(options, chartWidth, height),
      caption: 'Users, transactions, response time, failures and hosts over the run',
      width: chartWidth,
      height,
    },
    ...((run.events ?? []).length === 0
      ? []
      : [{ kind: 'list' as const, items: (run.events ?? []).map(({ second, text }) => `${clockText(second)}: ${text}`) }]),
  ];
}

function comparison({ comparison: compared }: ReportMaterial): Block[] {
  if (!compared) return [];
  const name = ({ number, release }: RunComparison['runs'][number]) => `run ${number}${release === null ? '' : ` (${release})`}`;
  return [
    ...compared.sentences.map((sentence): Block => plain(sentence)),
    ...compared.changes.map(({ run, sentence }): Block => ({ kind: 'text', text: `Run ${run}: ${sentence}`, tone: 'soft' })),
    ...table(
      'Means and p95 in ms, and the difference with its interval of 95 %',
      ['Transaction', ...compared.runs.flatMap((run, at) => [`#Mean, ${name(run)}`, '#p95', ...(at === 0 ? [] : ['Difference'])])],
      compared.transactions.map(({ name: transaction, figures, differences }) => [
        transaction,
        ...figures.flatMap((figure, at): Cell[] => {
          const difference = differences[at - 1];
          const interval = difference?.mean;
          const words = { slower: 'slower', faster: 'faster', none: 'none shown', few: 'too few samples' };
          return [
            numberCell(figure?.meanMs),
            numberCell(figure?.p95Ms),
            ...(difference
              ? [
                  `${words[difference.verdict]}${interval ? `, ${Math.round(interval.low).toLocaleString('en')} to ${Math.round(interval.high).toLocaleString('en')}` : ''}`,
                ]
              : []),
          ];
        }),
      ]),
    ),
    ...table(
      'Failures, new and gone',
      ['State', 'Step', 'What', ...compared.runs.map((run) => `#${name(run)}`)],
      compared.failures.map(({ state, step, message, counts }) => [
        state === 'both' ? 'in both' : state,
        step,
        message,
        ...counts.map((count) => numberCell(count)),
      ]),
    ),
  ];
}

function trend({ trend: over, draw }: ReportMaterial): Block[] {
  if (!over || over.runs.length < 2) return [];
  const worse = over.transactions.filter(({ firstWorse }) => firstWorse !== null);
  return [
    { kind: 'list', items: over.transactions.map(({ sentence }) => sentence) },
    ...table(
      'p95 of each transaction, in ms',
      ['Transaction', ...over.runs.map(({ number, release }) => `#run ${number}${release === null ? '' : ` (${release})`}`)],
      over.transactions.map(({ name, points }) => [name, ...points.map((point): Cell => numberCell(point?.value ?? null, 1))]),
    ),
    // Those that became worse are what people want to see.
    ...worse.slice(0, mostTrendCharts).map((transaction): Block => ({
      kind: 'figure',
      svg: draw(trendOptions(over, transaction, paperColour), chartWidth, trendHeight),
      caption: `${transaction.name}: p95 with its range of 95 % over the runs`,
      width: chartWidth,
      height: trendHeight,
    })),
  ];
}

function baseline({ baseline: zero, result: { rows } }: ReportMaterial): Block[] {
  if (!zero) return [];
  return [
    plain(`One user alone, run ${zero.number}${zero.release === null ? '' : ` (${zero.release})`}. ${zero.sentence}`),
    ...table(
      'Means in ms, and as a multiple of what one user alone met',
      ['Transaction', '#Alone', '#In this run', '#Multiple'],
      rows
        .filter(({ step }) => step === null)
        .flatMap(({ name, summary }) => {
          const alone = zero.transactions.find((transaction) => transaction.name === name)?.meanMs;
          return alone === undefined || alone === 0
            ? []
            : [[name, numberCell(alone), numberCell(summary.meanMs), numberCell(summary.meanMs / alone, 1)]];
        }),
    ),
  ];
}

function failures({ result: { failures: groups, run }, scripts }: ReportMaterial): Block[] {
  if (groups.length === 0) return [plain('Nothing failed.')];
  return table(
    'Failures by kind',
    ['Transaction', 'Step', 'What', '#Count', 'First', 'Last'],
    groups.map(({ crew, transaction, step, message, count, firstSecond, lastSecond }) => [
      transaction,
      stepNameOf(run.workload, scripts, { crew, step }),
      message,
      numberCell(count),
      clockText(firstSecond),
      clockText(lastSecond),
    ]),
  );
}

function hosts({ hosts: series, result: { period } }: ReportMaterial): Block[] {
  return table(
    'Hosts over the hold',
    ['Host', 'Figure', 'Unit', '#Mean', '#Highest'],
    series.flatMap(({ host, name, unit, points }) => {
      const values = points.flatMap(([second, value]) =>
        value !== null && second >= period.fromSecond && second < period.toSecond ? [value] : [],
      );
      if (values.length === 0) return [];
      return [
        [
          host,
          name,
          unit,
          numberCell(values.reduce((sum, value) => sum + value, 0) / values.length, 1),
          numberCell(Math.max(...values), 1),
        ],
      ];
    }),
  );
}

function setting({ result: { run, dealt }, scripts }: ReportMaterial): Block[] {
  const scriptName = (id: string) => scripts.find((script) => script.id === id)?.name ?? id;
  return [
    ...table(
      'Crews',
      ['Crew', 'Script', '#Users', 'Pacing'],
      run.workload.crews.map(({ name, scriptId, users, pacing }) => [
        name,
        scriptName(scriptId),
        numberCell(users),
        pacing.kind === 'none' ? 'none' : `${pacing.seconds} s from ${pacing.kind === 'start-to-start' ? 'start' : 'end'} to start`,
      ]),
    ),
    ...table(
      'Phases of the load curve',
      ['Phase', 'From', 'To'],
      phasesOf(run.workload).map(({ name, startSeconds, endSeconds }) => [name, clockText(startSeconds), clockText(endSeconds)]),
    ),
    ...(dealt.length === 0
      ? []
      : [plain(`Data rows dealt: ${dealt.map(({ crew, rows }) => `${crew} ${rows.toLocaleString('en')}`).join(', ')}.`)]),
    plain(`${run.workload.generators} ${run.workload.generators === 1 ? 'generator' : 'generators'}; seed ${run.workload.seed}.`),
  ];
}

function briefBlocks({ brief }: ReportMaterial): Block[] {
  const signatures = signatureStates(brief);
  if (brief.aims === '' && brief.transactions.length === 0 && signatures.length === 0) return [];
  return [
    ...brief.aims
      .split(/\n+/)
      .filter((part) => part.trim() !== '')
      .map(plain),
    ...(brief.capacityPercent === 100 ? [] : [plain(`The test environment has ${brief.capacityPercent} % of production’s capacity.`)]),
    ...table(
      'Assumptions and risks',
      ['Kind', 'What', 'Owner'],
      [
        ...brief.assumptions.map(({ text, owner }) => ['assumption', text, owner]),
        ...brief.risks.map(({ text, owner }) => ['risk', text, owner]),
      ],
    ),
    ...table(
      'Signed by',
      ['Who', 'Role', 'When', 'State'],
      signatures.map(({ by, role, at, holds }) => [
        by,
        role,
        at.slice(0, 16).replace('T', ' '),
        holds ? 'holds' : 'the brief was changed since',
      ]),
    ),
  ];
}

function definitions(): Block[] {
  return [
    {
      kind: 'list',
      items: [
        'Response time of a transaction: from its first request to the last byte of its last answer, without pauses (busy time).',
        'Percentiles: nearest rank, from histograms with three significant digits (HDR).',
        'Deviation: standard deviation with n − 1. Throughput: transactions that ended in a second of the hold.',
        'Error rate: transactions in which a step failed, of all that ended.',
        'Ranges of 95 %: by a bootstrap over blocks of the hold, because what follows each other in a queue is not independent; several at once are widened (Bonferroni).',
        'Limits of hosts: the highest average over any stretch of the stated minutes; a short peak does not count.',
      ],
    },
  ];
}
