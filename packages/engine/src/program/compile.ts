import {
  containerNumber,
  encode,
  pauseMs,
  resolveTarget,
  type Environment,
  type Expectation,
  type Extractor,
  type Made,
  type Piece,
  type RequestStep,
  type Script,
  type Step,
  type Template,
  type ThinkTime,
} from '@sturdy/core';

/** What templates are filled from: the moving values of one virtual user in one iteration. */
export interface Scope {
  handoffs: Map<string, string>;
  /** Rows by table, each column by name. */
  rows: Map<string, ReadonlyMap<string, string>>;
  /** Client-made values that stay the same within an iteration. */
  made: Map<string, string>;
  random: () => number;
  nowMs: () => number;
}

export type Render = (scope: Scope) => string;

/** A request, ready to be played. */
export interface CompiledRequest {
  kind: 'request';
  step: string;
  method: string;
  /** Origin that is hit, the environment's map applied. */
  origin: string;
  target: Render;
  headers: { name: string; value: Render }[];
  body: Render | Uint8Array | null;
  expect: Expectation;
  extracts: { handoff: string; extractor: Extractor; hop: number | undefined }[];
  /** True where an extractor or a check reads the body; else it is counted and dropped. */
  readsBody: boolean;
  followRedirects: boolean;
}

export type Operation =
  | CompiledRequest
  | { kind: 'pause'; ms: number }
  | { kind: 'side-by-side'; requests: CompiledRequest[] }
  | { kind: 'repeat'; times: number; pauseMs: number; operations: Operation[] };

export interface CompiledTransaction {
  name: string;
  operations: Operation[];
}

/** A script as a flat program. */
export interface Program {
  script: string;
  transactions: CompiledTransaction[];
  /** Tables of which an iteration needs a row. */
  tables: string[];
}

/** A script that cannot be played, with the reason. */
export class CompileError extends Error {}

const recordedPauses: ThinkTime = { kind: 'recorded', factor: 1, ms: 0, capMs: 3_600_000 };

/** Compiles a script for an environment. Throws `CompileError` where a step would hit what the environment does not allow. */
export function compile(
  script: Script,
  environment: Environment,
  options: { think?: ThinkTime; readFile?: (hash: string) => Uint8Array | undefined } = {},
): Program {
  const made = new Map(script.made.map((one) => [one.id, one]));
  const tables = new Set<string>();
  const think = options.think ?? recordedPauses;
  const renderer = (template: Template) => compileTemplate(template, made, tables);
  const operationsOf = (steps: readonly Step[]): Operation[] =>
    steps.flatMap((step): Operation[] => {
      switch (step.kind) {
        case 'comment':
          return [];
        case 'pause':
          return [{ kind: 'pause', ms: pauseMs(step.ms, think) }];
        case 'request':
          return [compileRequest(step)];
        case 'side-by-side':
          return [{ kind: 'side-by-side', requests: step.steps.map(compileRequest) }];
        case 'repeat':
          return [{ kind: 'repeat', times: step.times, pauseMs: pauseMs(step.pauseMs, think), operations: operationsOf(step.steps) }];
      }
    });
  const compileRequest = (step: RequestStep): CompiledRequest => {
    const target = resolveTarget(step.origin, environment);
    if ('refused' in target) throw new CompileError(`Step “${step.name}” of “${script.name}”: ${target.refused}`);
    const extracts = script.handoffs
      .filter((one) => one.origin === step.id)
      .map((one) => ({ handoff: one.id, extractor: one.extractor, hop: one.hop }));
    const file = step.bodyFile === null ? null : options.readFile?.(step.bodyFile);
    if (file === undefined)
      throw new CompileError(`Step “${step.name}” of “${script.name}” sends a body that is not stored. Record it again.`);
    return {
      kind: 'request',
      step: step.id,
      method: step.method,
      origin: target.origin,
      target: renderer(step.url),
      headers: step.headers.map(({ name, value }) => ({ name, value: rebase(name, renderer(value), environment) })),
      body: step.body ? renderer(step.body) : file,
      expect: step.expect,
      extracts,
      readsBody:
        step.expect.title !== null ||
        step.expect.rootElement !== null ||
        extracts.some(({ extractor }) => extractor.kind !== 'header' && extractor.kind !== 'cookie'),
      followRedirects: step.followRedirects,
    };
  };
  return {
    script: script.id,
    transactions: script.transactions.map((transaction) => ({ name: transaction.name, operations: operationsOf(transaction.steps) })),
    tables: [...tables],
  };
}

/** Origin and Referer follow the environment's map, or the application would see a foreign site. */
function rebase(name: string, render: Render, environment: Environment): Render {
  if (!/^(origin|referer)$/i.test(name) || Object.keys(environment.map).length === 0) return render;
  return (scope) => {
    const text = render(scope);
    for (const [recorded, real] of Object.entries(environment.map))
      if (text === recorded || text.startsWith(`${recorded}/`)) return real + text.slice(recorded.length);
    return text;
  };
}

function compileTemplate(template: Template, made: ReadonlyMap<string, Made>, tables: Set<string>): Render {
  const parts = template.map((piece) => compilePiece(piece, made, tables));
  const [only] = parts;
  if (parts.length === 1 && only) return only;
  return (scope) => {
    let text = '';
    for (const part of parts) text += part(scope);
    return text;
  };
}

function compilePiece(piece: Piece, made: ReadonlyMap<string, Made>, tables: Set<string>): Render {
  switch (piece.kind) {
    case 'text': {
      const { text } = piece;
      return () => text;
    }
    case 'handoff':
      return (scope) => scope.handoffs.get(piece.handoff) ?? piece.recorded;
    case 'data':
      tables.add(piece.table);
      return (scope) => scope.rows.get(piece.table)?.get(piece.column) ?? piece.recorded;
    case 'variable':
      return () => piece.recorded;
    case 'made': {
      const value = made.get(piece.made);
      return value ? (scope) => makeValue(value, scope) : () => piece.recorded;
    }
    case 'wrap': {
      const inner = compileTemplate(piece.pieces, made, tables);
      return (scope) => encode(piece.encoding, inner(scope));
    }
  }
}

function makeValue(value: Made, scope: Scope): string {
  switch (value.made) {
    case 'epoch-ms':
      return String(Math.round(scope.nowMs()));
    case 'epoch-s':
      return String(Math.floor(scope.nowMs() / 1000));
    case 'iso-time':
      return new Date(scope.nowMs()).toISOString();
    case 'guid':
      return keep(value, scope, () => randomGuid(scope.random));
    case 'container-number':
      return keep(value, scope, () => containerNumber(value.recorded.slice(0, 4), Math.floor(scope.random() * 1_000_000)));
  }
}

function keep(value: Made, scope: Scope, make: () => string): string {
  const known = scope.made.get(value.id);
  if (known !== undefined) return known;
  const fresh = make();
  scope.made.set(value.id, fresh);
  return fresh;
}

/** A random UUID, version 4 (RFC 9562, 5.4), from the user's own random stream. */
function randomGuid(random: () => number): string {
  const digits = Array.from({ length: 32 }, () => Math.floor(random() * 16).toString(16));
  digits[12] = '4';
  digits[16] = '89ab'[Math.floor(random() * 4)] ?? '8';
  const text = digits.join('');
  return `${text.slice(0, 8)}-${text.slice(8, 12)}-${text.slice(12, 16)}-${text.slice(16, 20)}-${text.slice(20)}`;
}
