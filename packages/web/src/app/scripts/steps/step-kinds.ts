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

/** Steps that can be put into a script by hand, with their icons. */
export const newSteps: {
  kind: 'pause' | 'comment' | 'log' | 'variable' | 'cookie' | 'code' | 'meet' | 'line';
  name: string;
  icon: string;
}[] = [
  { kind: 'pause', name: 'Pause', icon: 'bi-hourglass' },
  { kind: 'comment', name: 'Comment', icon: 'bi-chat-left-text' },
  { kind: 'log', name: 'Line in the log', icon: 'bi-card-text' },
  { kind: 'variable', name: 'Variable', icon: 'bi-box' },
  { kind: 'cookie', name: 'Cookie', icon: 'bi-record-circle' },
  { kind: 'code', name: 'Code', icon: 'bi-braces' },
  { kind: 'meet', name: 'Meeting point', icon: 'bi-people' },
  { kind: 'line', name: 'Line over TCP', icon: 'bi-plug' },
];

const firstOrigin = (script: Script): string => {
  for (const { steps } of script.transactions) for (const step of steps) if (step.kind === 'request') return step.origin;
  return 'http://127.0.0.1';
};

/** A step of a kind, to start with. */
export function newStep(kind: (typeof newSteps)[number]['kind'], script: Script): Step {
  switch (kind) {
    case 'pause':
      return { kind, id: 'pause', ms: 2000 };
    case 'comment':
      return { kind, id: 'comment', text: 'What happens next' };
    case 'log':
      return { kind, id: 'log', text: [{ kind: 'text', text: 'reached this line' }] };
    case 'variable':
      return { kind, id: 'variable', name: 'state', value: [{ kind: 'text', text: 'open' }] };
    case 'cookie':
      return { kind, id: 'cookie', action: 'set', origin: firstOrigin(script), name: 'seen', value: [{ kind: 'text', text: 'yes' }] };
    case 'code':
      return {
        kind,
        id: 'code',
        name: 'Own computation',
        source:
          "// answer, variables, handoffs and row are there; next.header, next.query and next.body change the next request\nlog(answer ? answer.status : 'no answer yet');\n",
        ...codeLimits,
      };
    case 'meet':
      return { kind, id: 'meet', name: 'All together', users: 10, atMostMs: 30_000 };
    case 'line':
      return {
        kind,
        id: 'line',
        name: 'Print a label',
        origin: 'tcp://127.0.0.1:9100',
        send: [{ kind: 'text', text: 'PRINT 1' }],
        expect: [{ kind: 'text', text: 'OK' }],
      };
  }
}

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
          return `for each row of ${tables.find((one) => one.id === table)?.name ?? 'a table'}, ${step.times} times at most`;
        }
        case undefined:
          return `${step.times} times, ${seconds(step.pauseMs)} apart`;
      }
  }
}

export const iconOf = (kind: Step['kind']): string =>
  newSteps.find((one) => one.kind === kind)?.icon ??
  ({ 'side-by-side': 'bi-layout-split', repeat: 'bi-arrow-repeat', when: 'bi-signpost-split' } as Record<string, string>)[kind] ??
  'bi-dot';
