import { numberCell, type Block, type Cell, type ReportDocument } from '../document/document.schema.js';
import type { Brief, BriefPoint } from './brief.schema.js';
import { signatureStates } from './signature.js';
import { wantedRate, type SizingRow } from './sizing.js';
import { topologyOf, topologySvg } from './topology.js';

/** What a brief as a document is made from beside it. */
export interface BriefSetting {
  project: string;
  /** When it is made, as people read it. */
  day: string;
  sizing: readonly SizingRow[];
}

/** A brief as a document: contents, tables and topology. Sections of which nothing is said are left out. */
export function briefDocument(brief: Brief, { project, day, sizing }: BriefSetting): ReportDocument {
  const blocks: Block[] = [];
  const section = (title: string, ...content: Block[]) => {
    if (content.length > 0) blocks.push({ kind: 'heading', level: 1, text: title }, ...content);
  };
  section('Aims', ...paragraphs(brief.aims));
  section('The system', ...system(brief));
  section('Key transactions', ...transactions(brief));
  section('What “good” is', ...limits(brief));
  section('Sizing', ...sizes(sizing));
  section(
    'Think times',
    ...table(
      'Think times',
      ['Where', '#Seconds', 'Reason'],
      brief.thinkTimes.map(({ where, seconds, reason }) => [where, numberCell(seconds, 1), reason]),
    ),
  );
  section(
    'Data needed',
    ...table(
      'Data needed',
      ['What', '#Rows', 'Owner'],
      brief.data.map(({ what, rows, owner }) => [what, numberCell(rows), owner]),
    ),
  );
  section('Assumptions', ...points(brief.assumptions, 'Assumptions', 'Holds because'));
  section('Risks', ...points(brief.risks, 'Risks', 'What is done'));
  section('Open questions', ...points(brief.questions, 'Open questions', 'Answer'));
  section(
    'Schedule',
    ...table(
      'Schedule',
      ['When', 'What', 'Owner'],
      brief.schedule.map(({ day: when, what, owner }) => [when, what, owner]),
    ),
  );
  section(
    'Signatures',
    ...table(
      'Signatures',
      ['Who', 'Role', 'When', 'State'],
      signatureStates(brief).map(({ by, role, at, holds }) => [
        by,
        role,
        at.slice(0, 16).replace('T', ' '),
        holds ? 'holds' : 'the brief was changed since',
      ]),
    ),
  );
  return {
    title: brief.title === '' ? `Brief of ${project}` : brief.title,
    subtitle: 'Brief of the performance test',
    facts: [
      { name: 'Project', value: project },
      { name: 'As of', value: day },
    ],
    logo: null,
    blocks,
  };
}

const paragraphs = (text: string): Block[] =>
  text
    .split(/\n+/)
    .map((part) => part.trim())
    .filter((part) => part !== '')
    .map((part) => ({ kind: 'text', text: part, tone: 'plain' }));

/** A table; names of columns of numbers begin with #. None where there is no row. */
function table(caption: string, columns: readonly string[], rows: Cell[][]): Block[] {
  if (rows.length === 0) return [];
  return [
    { kind: 'table', caption, columns: columns.map((name) => ({ name: name.replace(/^#/, ''), isNumber: name.startsWith('#') })), rows },
  ];
}

const points = (list: readonly BriefPoint[], caption: string, answer: string): Block[] =>
  table(
    caption,
    ['What', 'Owner', answer],
    list.map(({ text, owner, answer: said }) => [text, owner, said]),
  );

function system(brief: Brief): Block[] {
  const share: Block[] =
    brief.hosts.length === 0 && brief.capacityPercent === 100
      ? []
      : [
          {
            kind: 'text',
            tone: 'plain',
            text: `The test environment has ${brief.capacityPercent} % of production’s capacity.${brief.capacityReason === '' ? '' : ` ${brief.capacityReason}`}`,
          },
        ];
  if (brief.hosts.length === 0) return share;
  const topology = topologyOf(brief);
  return [
    { kind: 'figure', svg: topologySvg(topology), caption: 'How the hosts are connected', width: topology.width, height: topology.height },
    ...table(
      'Hosts',
      ['Host', 'Role', 'Technology', 'Size'],
      brief.hosts.map(({ name, role, technology, size }) => [name, role, technology, size]),
    ),
    ...share,
  ];
}

const transactions = (brief: Brief): Block[] =>
  table(
    'Key transactions',
    ['Transaction', '#An hour', 'Peak hour', '#Peak factor', '#Growth, %', '#Wanted in the test, an hour'],
    brief.transactions.map((key) => [
      key.transaction,
      numberCell(key.ratePerHour),
      key.peakHour,
      numberCell(key.peakFactor, 2),
      numberCell(key.growthPercent),
      numberCell(wantedRate(key, brief.capacityPercent)),
    ]),
  );

function limits(brief: Brief): Block[] {
  const rows: Cell[][] = brief.transactions.flatMap(({ transaction, meanMs, percentile }) => [
    ...(meanMs === null ? [] : [[transaction, 'mean', numberCell(meanMs), 'ms']]),
    ...(percentile === null ? [] : [[transaction, percentile.measure, numberCell(percentile.limitMs), 'ms']]),
  ]);
  if (brief.defaultLimit) rows.push(['every other transaction', brief.defaultLimit.measure, numberCell(brief.defaultLimit.limitMs), 'ms']);
  if (brief.errorPercent !== null) rows.push(['all transactions', 'error rate', numberCell(brief.errorPercent, 1), '%']);
  return [
    ...table('Limits of transactions', ['Transaction', 'Measure', '#At most', 'Unit'], rows),
    ...table(
      'Limits of hosts',
      ['Host', 'Figure', '#At most', 'On average in any'],
      brief.hostLimits.map(({ host, figure, limit, forMinutes }) => [
        host === '' ? 'every host' : host,
        figure,
        numberCell(limit, 1),
        `${forMinutes} min`,
      ]),
    ),
  ];
}

const sizes = (rows: readonly SizingRow[]): Block[] =>
  table(
    'Sizing: users for the wanted rates',
    ['Script', '#Wanted, an hour', '#Iteration, s', '#Pacing, s', '#Users'],
    rows.map(({ script, ratePerHour, iterationSeconds, pacingSeconds, users }) => [
      script,
      numberCell(ratePerHour),
      numberCell(iterationSeconds, 1),
      numberCell(pacingSeconds, 1),
      numberCell(users),
    ]),
  );
