import type { Brief, KeyTransaction } from '@sturdy/core';
import type { EditableColumn, EditableRow } from './editable-rows';

/** A list of the brief: where it stands in it, and how it is edited. */
export interface BriefList {
  key: keyof Brief;
  heading: string;
  what: string;
  noun: string;
  article?: string;
  hint: string;
  columns: readonly EditableColumn[];
  fresh: EditableRow;
}

export const measures = ['p50', 'p90', 'p95', 'p99'] as const;

/** Columns of the key transactions; a percentile and its limit are two cells of a row. `scripts` are those that may play them. */
export const keyColumns = (scripts: readonly { id: string; name: string }[]): readonly EditableColumn[] => [
  { key: 'transaction', name: 'Transaction', kind: 'text', offers: 'transaction-names', placeholder: 'as scripts name it' },
  {
    key: 'scriptId',
    name: 'Played by',
    kind: 'choice',
    width: '128px',
    choices: [{ value: '', name: 'as it fits' }, ...scripts.map(({ id, name }) => ({ value: id, name }))],
  },
  { key: 'ratePerHour', name: 'An hour', kind: 'number', min: 0, width: '70px' },
  { key: 'peakHour', name: 'Peak hour', kind: 'text', width: '112px', placeholder: '09:00' },
  { key: 'peakFactor', name: 'Peak ×', kind: 'number', min: 0.01, width: '58px' },
  { key: 'growthPercent', name: 'Growth, %', kind: 'number', min: -100, width: '72px' },
  { key: 'meanMs', name: 'Mean, ms', kind: 'optional-number', min: 1, width: '80px', placeholder: 'none' },
  { key: 'measure', name: 'And', kind: 'choice', width: '74px', choices: measures.map((value) => ({ value, name: value })) },
  { key: 'percentileMs', name: 'ms', kind: 'optional-number', min: 1, width: '80px', placeholder: 'none' },
];

export const keyRows = (transactions: readonly KeyTransaction[]): EditableRow[] =>
  transactions.map(({ percentile, scriptId, ...rest }) => ({
    ...rest,
    scriptId: scriptId ?? '',
    measure: percentile?.measure ?? 'p95',
    percentileMs: percentile?.limitMs ?? null,
  }));

export const keysOfRows = (rows: readonly EditableRow[]): KeyTransaction[] =>
  rows.map(({ measure, percentileMs, scriptId, ...rest }) => ({
    ...(rest as Omit<KeyTransaction, 'percentile' | 'scriptId'>),
    scriptId: typeof scriptId === 'string' && scriptId !== '' ? scriptId : null,
    percentile: typeof percentileMs === 'number' ? { measure: measure as (typeof measures)[number], limitMs: percentileMs } : null,
  }));

const point = (answer: string): EditableColumn[] => [
  { key: 'text', name: 'What', kind: 'text' },
  { key: 'owner', name: 'Owner', kind: 'text', width: '150px' },
  { key: 'answer', name: answer, kind: 'text', width: '28%' },
];
const freshPoint = { id: '', text: '', owner: '', answer: '' };

/** The lists of the brief by what they are, in the order in which they are shown. */
export const briefLists = {
  hosts: {
    key: 'hosts',
    heading: 'Hosts',
    what: 'Hosts of the system',
    noun: 'host',
    hint: 'What the system under test runs on.',
    columns: [
      { key: 'name', name: 'Host', kind: 'text', width: '22%' },
      { key: 'role', name: 'Role', kind: 'text', placeholder: 'such as database' },
      { key: 'technology', name: 'Technology', kind: 'text' },
      { key: 'size', name: 'Size', kind: 'text', placeholder: '4 processors, 16 GB' },
    ],
    fresh: { id: '', name: '', role: '', technology: '', size: '' },
  },
  hostLimits: {
    key: 'hostLimits',
    heading: 'Limits of hosts',
    what: 'Limits of hosts',
    noun: 'limit',
    hint: 'A prolonged excess counts, a short peak does not.',
    columns: [
      { key: 'figure', name: 'Figure', kind: 'text', placeholder: 'such as processor' },
      { key: 'host', name: 'Of the host', kind: 'text', placeholder: 'every host', width: '24%' },
      { key: 'limit', name: 'At most', kind: 'number', width: '90px' },
      { key: 'forMinutes', name: 'On average in any, min', kind: 'number', min: 0.1, max: 600, width: '170px' },
    ],
    fresh: { id: '', figure: 'processor', host: '', limit: 70, forMinutes: 5 },
  },
  thinkTimes: {
    key: 'thinkTimes',
    heading: 'Think times',
    what: 'Think times',
    noun: 'think time',
    hint: 'How long people pause, and why that is believed.',
    columns: [
      { key: 'where', name: 'Where', kind: 'text', width: '34%' },
      { key: 'seconds', name: 'Seconds', kind: 'number', min: 0, width: '90px' },
      { key: 'reason', name: 'Reason', kind: 'text', placeholder: 'watched, asked, assumed' },
    ],
    fresh: { id: '', where: '', seconds: 10, reason: '' },
  },
  data: {
    key: 'data',
    heading: 'Data needed',
    what: 'Data needed',
    noun: 'kind of data',
    hint: 'Rows that virtual users need, and who makes them.',
    columns: [
      { key: 'what', name: 'What', kind: 'text' },
      { key: 'rows', name: 'Rows', kind: 'number', min: 0, width: '100px' },
      { key: 'owner', name: 'Owner', kind: 'text', width: '180px' },
    ],
    fresh: { id: '', what: '', rows: 1000, owner: '' },
  },
  assumptions: {
    key: 'assumptions',
    heading: 'Assumptions',
    what: 'Assumptions',
    noun: 'assumption',
    article: 'an',
    hint: 'What is supposed and not tested.',
    columns: point('Holds because'),
    fresh: freshPoint,
  },
  risks: {
    key: 'risks',
    heading: 'Risks',
    what: 'Risks',
    noun: 'risk',
    hint: 'What may go wrong.',
    columns: point('What is done'),
    fresh: freshPoint,
  },
  questions: {
    key: 'questions',
    heading: 'Open questions',
    what: 'Open questions',
    noun: 'question',
    hint: 'What has to be known before the test, and who finds out.',
    columns: point('Answer'),
    fresh: freshPoint,
  },
  schedule: {
    key: 'schedule',
    heading: 'Schedule',
    what: 'Schedule',
    noun: 'date',
    hint: 'When what is done.',
    columns: [
      { key: 'day', name: 'When', kind: 'text', width: '180px', placeholder: 'such as 3 December' },
      { key: 'what', name: 'What', kind: 'text' },
      { key: 'owner', name: 'Owner', kind: 'text', width: '180px' },
    ],
    fresh: { id: '', day: '', what: '', owner: '' },
  },
} as const satisfies Record<string, BriefList>;
