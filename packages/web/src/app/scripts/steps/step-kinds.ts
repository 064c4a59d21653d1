import {
  codeLimits,
  comparisonText,
  hasRightSide,
  templateToText,
  type ActionStep,
  type Condition,
  type DataTable,
  type PieceNames,
  type Script,
  type Step,
} from '@sturdy/core';

/** What each kind of step is called, with its icon. */
export const stepKinds: { [Kind in Step['kind']]: { title: string; icon: string } } = {
  request: { title: 'Request', icon: 'bi-dot' },
  message: { title: 'Message over a WebSocket', icon: 'bi-arrow-left-right' },
  line: { title: 'Line over TCP', icon: 'bi-plug' },
  pause: { title: 'Pause', icon: 'bi-hourglass' },
  comment: { title: 'Comment', icon: 'bi-chat-left-text' },
  log: { title: 'Line in the log', icon: 'bi-card-text' },
  variable: { title: 'Variable', icon: 'bi-box' },
  cookie: { title: 'Cookie', icon: 'bi-record-circle' },
  code: { title: 'Code', icon: 'bi-braces' },
  meet: { title: 'Meeting point', icon: 'bi-people' },
  'side-by-side': { title: 'Side by side', icon: 'bi-layout-split' },
  repeat: { title: 'Repeat', icon: 'bi-arrow-repeat' },
  when: { title: 'When', icon: 'bi-signpost-split' },
};

/** Kinds that come about otherwise: requests and messages are recorded, containers are put around chosen steps. */
type MadeElsewhere = 'request' | 'message' | 'side-by-side' | 'repeat' | 'when';
/** Kinds of steps that can be put into a script by hand. */
export type NewStepKind = Exclude<Step['kind'], MadeElsewhere>;

const firstOrigin = (script: Script): string => {
  for (const { steps } of script.transactions) for (const step of steps) if (step.kind === 'request') return step.origin;
  return 'http://127.0.0.1';
};

/** A step of each kind, to start with. */
const blankSteps: { [Kind in NewStepKind]: (script: Script) => Extract<Step, { kind: Kind }> } = {
  pause: () => ({ kind: 'pause', id: 'pause', ms: 2000 }),
  comment: () => ({ kind: 'comment', id: 'comment', text: 'What happens next' }),
  log: () => ({ kind: 'log', id: 'log', text: [{ kind: 'text', text: 'reached this line' }] }),
  variable: () => ({ kind: 'variable', id: 'variable', name: 'state', value: [{ kind: 'text', text: 'open' }] }),
  cookie: (script) => ({
    kind: 'cookie',
    id: 'cookie',
    action: 'set',
    origin: firstOrigin(script),
    name: 'seen',
    value: [{ kind: 'text', text: 'yes' }],
  }),
  code: () => ({
    kind: 'code',
    id: 'code',
    name: 'Own computation',
    source:
      "// answer, variables, handoffs and row are there; next.header, next.query and next.body change the next request\nlog(answer ? answer.status : 'no answer yet');\n",
    ...codeLimits,
  }),
  meet: () => ({ kind: 'meet', id: 'meet', name: 'All together', users: 10, atMostMs: 30_000 }),
  line: () => ({
    kind: 'line',
    id: 'line',
    name: 'Print a label',
    origin: 'tcp://127.0.0.1:9100',
    send: [{ kind: 'text', text: 'PRINT 1' }],
    expect: [{ kind: 'text', text: 'OK' }],
  }),
};

/** The kinds of steps that can be put into a script by hand, in the order of the menu. */
export const newSteps = Object.keys(blankSteps).map((kind) => ({ kind: kind as NewStepKind, ...stepKinds[kind as NewStepKind] }));

/** A step of a kind, to start with. */
export const newStep = (kind: NewStepKind, script: Script): Step => blankSteps[kind](script);

export const sayCondition = ({ left, is, right }: Condition, names: PieceNames): string =>
  `“${templateToText(left, names)}” ${comparisonText(is)}${hasRightSide(is) ? ` “${templateToText(right, names)}”` : ''}`;

const seconds = (ms: number): string => `${(ms / 1000).toLocaleString('en', { maximumFractionDigits: 1 })} s`;

/** A step that is no request, as one line. */
export function sayStep(step: Exclude<Step, ActionStep>, names: PieceNames, tables: readonly DataTable[] = []): string {
  switch (step.kind) {
    case 'pause':
      return step.spread
        ? `pause about ${seconds(step.ms)}, ${step.spread.kind === 'uniform' ? `± ${seconds(step.spread.byMs)}` : 'spread as people are'}`
        : `pause ${seconds(step.ms)}`;
    case 'comment':
      return step.text;
    case 'log':
      return `log “${templateToText(step.text, names)}”`;
    case 'variable':
      return `${step.name} = “${templateToText(step.value, names)}”`;
    case 'cookie':
      return `${step.action} cookie ${step.name}`;
    case 'code':
      return `code: ${step.name}`;
    case 'meet':
      return `${step.name}: wait for ${step.users} users, ${seconds(step.atMostMs)} at most`;
    case 'side-by-side':
      return `${step.steps.length} side by side`;
    case 'when':
      return `${step.name}: when ${sayCondition(step.condition, names)}`;
    case 'repeat':
      switch (step.loop?.kind) {
        case 'while':
          return `while ${sayCondition(step.loop.condition, names)}, ${step.times} times at most`;
        case 'each-match':
          return `for each ${step.loop.variable}, ${step.times} times at most`;
        case 'each-row': {
          const { table } = step.loop;
          return `for each row of ${tables.find((dataTable) => dataTable.id === table)?.name ?? 'a table'}, ${step.times} times at most`;
        }
        case undefined:
          return `${step.times} times, ${seconds(step.pauseMs)} apart`;
      }
  }
}

export const iconOf = (kind: Step['kind']): string => stepKinds[kind].icon;
