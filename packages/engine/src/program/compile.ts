import {
  allSteps,
  checkFailure,
  drawnPause,
  drawnThink,
  encode,
  holds,
  inForm,
  isFilePath,
  movingPieces,
  pauseMs,
  readsBody,
  readPlaces,
  recordedText,
  repeats,
  resolveTarget,
  templatesOf,
  type Awaited,
  type Check,
  type Condition,
  type Environment,
  type Expectation,
  type Extractor,
  type FailureSign,
  type ShownSigns,
  type Loop,
  type Made,
  type Piece,
  type RequestStep,
  type ResponseView,
  type Script,
  type SocketUse,
  type Step,
  type Template,
  type ThinkTime,
  type Transaction,
} from '@sturdy/core';
import { makeValue } from './make-value.js';
import type { Scope } from './scope.js';

export type Render = (scope: Scope) => string;
/** Gives the text of a template of the script as it is now. */
export type Fillers = (template: Template, scope: Scope) => string;

/** A request, ready to be played. */
export interface CompiledRequest {
  kind: 'request';
  step: string;
  method: string;
  /** Origin that is hit, the environment's map applied. */
  origin: string;
  target: Render;
  headers: { name: string; value: Render }[];
  body: ((scope: Scope) => string | Uint8Array) | Uint8Array | null;
  expect: Expectation;
  failureSigns: readonly FailureSign[];
  extracts: { handoff: string; extractor: Extractor; hop: number | undefined; fill: Render | undefined }[];
  /** True where an extractor or a check reads the body; else it is counted and dropped. */
  readsBody: boolean;
  followRedirects: boolean;
  checks: readonly Check[];
  /** What is done with a WebSocket; null where the request has none. */
  socket: CompiledSocket | null;
  http2: boolean;
  /** Tables of which a new row is dealt for this request. */
  fresh: readonly string[];
}

/** What a step does with a WebSocket, ready to be played. `accepts` says whether a message is the one that is waited for. */
export interface CompiledSocket {
  action: SocketUse['action'];
  name: string;
  format: 'text' | 'binary';
  awaits: { accepts: (message: ResponseView, sent: string, scope: Scope) => boolean; atMostMs: number } | null;
}

/** A condition, ready to be asked. */
export type Asks = (scope: Scope) => boolean;

/** What a repeat goes by, where it is not a number of times. */
export type CompiledLoop =
  | { kind: 'while'; holds: Asks }
  | { kind: 'each-match'; step: string; extractor: Extractor; fill: Fillers; variable: string }
  | { kind: 'each-row'; table: string };

export type Operation =
  | CompiledRequest
  | { kind: 'pause'; ms: (random: () => number) => number }
  | { kind: 'side-by-side'; requests: CompiledRequest[] }
  | { kind: 'repeat'; step: string; times: number; pauseMs: number; loop: CompiledLoop | null; operations: Operation[] }
  | { kind: 'when'; step: string; holds: Asks; operations: Operation[] }
  | { kind: 'log'; step: string; text: Render }
  | { kind: 'variable'; name: string; value: Render }
  | { kind: 'cookie'; action: 'set' | 'read' | 'delete'; origin: string; name: string; value: Render }
  | { kind: 'code'; step: string; name: string; source: string; limits: { timeMs: number; memoryMb: number } }
  | { kind: 'meet'; step: string; users: number; atMostMs: number };

export interface CompiledTransaction {
  name: string;
  operations: Operation[];
}

/** A script as a flat program. */
export interface Program {
  script: string;
  /** What each user plays once before its first iteration, and once after its last. */
  before: CompiledTransaction[];
  transactions: CompiledTransaction[];
  after: CompiledTransaction[];
  /** Fills the templates of checks and extractors. */
  fill: Fillers;
  /** Names of handoffs by id, for code. */
  handoffNames: ReadonlyMap<string, string>;
  /** True where code may look at any answer before it. */
  usesCode: boolean;
  /** Steps whose answers are looked at again later. */
  keepsAnswerOf: ReadonlySet<string>;
  /** Tables of which an iteration needs a row when it starts; of others rows are dealt while it is played. */
  tables: string[];
}

/** A script that cannot be played, with the reason. */
export class CompileError extends Error {}

const recordedPauses: ThinkTime = { kind: 'recorded', factor: 1, ms: 0, capMs: 3_600_000 };

/**
 * Compiles a script for an environment. `dealtPerUse` are tables of which each request that sends something of them gets a new row. Throws
 * `CompileError` where a step would hit what the environment does not allow.
 */
export function compile(
  script: Script,
  environment: Environment,
  options: {
    think?: ThinkTime;
    readFile?: (hash: string) => Uint8Array | undefined;
    dealtPerUse?: ReadonlySet<string>;
    /** Fetches files that follow each other at the same time, as browsers do. */
    filesSideBySide?: boolean;
    /** Failure signs that the recorded answers of steps hold. */
    shownSigns?: ShownSigns | undefined;
  } = {},
): Program {
  const made = new Map(script.made.map((one) => [one.id, one]));
  const tables = new Set<string>();
  const think = options.think ?? recordedPauses;
  const renderer = (template: Template) => compileTemplate(template, { made, tables, variables: environment.variables });
  const rendered = new Map<Template, Render>();
  const fill: Fillers = (template, scope) => {
    let render = rendered.get(template);
    if (!render) rendered.set(template, (render = renderer(template)));
    return render(scope);
  };
  const asks =
    (condition: Condition): Asks =>
    (scope) =>
      holds(condition, (template) => fill(template, scope));
  const steps = script.transactions.flatMap((one) => allSteps(one.steps));
  const keepsAnswerOf = new Set(steps.flatMap((one) => (one.kind === 'repeat' && one.loop?.kind === 'each-match' ? [one.loop.step] : [])));
  // Code may look at any answer before it.
  const usesCode = steps.some((one) => one.kind === 'code');
  // Rows of which nothing is sent but with which something is compared are wanted too.
  for (const table of dataOf(steps.flatMap(templatesOf))) tables.add(table);
  const inLoops = new Set(steps.flatMap((one) => (one.kind === 'repeat' && one.loop?.kind === 'each-row' ? [one.loop.table] : [])));
  const loopOf = (loop: Loop): CompiledLoop => {
    if (loop.kind === 'while') return { kind: 'while', holds: asks(loop.condition) };
    if (loop.kind === 'each-row') return loop;
    return { kind: 'each-match', step: loop.step, extractor: loop.extractor, fill, variable: loop.variable };
  };
  const readFrom = new Set(script.handoffs.flatMap((one) => readPlaces(one).map((place) => place.step)));
  const operationsOf = (steps: readonly Step[]): Operation[] =>
    (options.filesSideBySide ? withFilesTogether(steps, readFrom) : steps).flatMap((step): Operation[] => {
      switch (step.kind) {
        case 'comment':
          return [];
        case 'pause':
          return [{ kind: 'pause', ms: (random) => drawnThink(drawnPause(step.ms, step.spread, random), think, random) }];
        case 'log':
          return [{ kind: 'log', step: step.id, text: renderer(step.text) }];
        case 'variable':
          return [{ kind: 'variable', name: step.name, value: renderer(step.value) }];
        case 'cookie':
          return [{ kind: 'cookie', action: step.action, origin: originOf(step), name: step.name, value: renderer(step.value) }];
        case 'code':
          return [
            { kind: 'code', step: step.id, name: step.name, source: step.source, limits: { timeMs: step.timeMs, memoryMb: step.memoryMb } },
          ];
        case 'meet':
          return [{ kind: 'meet', step: step.id, users: step.users, atMostMs: step.atMostMs }];
        case 'when':
          return [{ kind: 'when', step: step.id, holds: asks(step.condition), operations: operationsOf(step.steps) }];
        case 'request':
          return [compileRequest(step)];
        case 'side-by-side':
          return [{ kind: 'side-by-side', requests: step.steps.map(compileRequest) }];
        case 'repeat':
          return [
            {
              kind: 'repeat',
              step: step.id,
              times: step.times,
              pauseMs: pauseMs(step.pauseMs, think),
              loop: step.loop ? loopOf(step.loop) : null,
              operations: operationsOf(step.steps),
            },
          ];
      }
    });
  /** Where a step goes. Throws where the environment does not allow it. */
  const originOf = (step: { origin: string; name: string }): string => {
    const target = resolveTarget(step.origin, environment);
    if ('refused' in target) throw new CompileError(`Step “${step.name}” of “${script.name}”: ${target.refused}`);
    return target.origin;
  };
  const missingBody = (step: RequestStep) =>
    new CompileError(`Step “${step.name}” of “${script.name}” sends a body that is not stored. Record it again.`);
  /** A body of text alone is a text; one with files in it is put together as bytes. */
  const bodyOf = (step: RequestStep): ((scope: Scope) => string | Uint8Array) => {
    const template = step.body ?? [];
    if (!template.some((piece) => piece.kind === 'file')) return renderer(template);
    const parts = template.map((piece): Render | Uint8Array => {
      if (piece.kind !== 'file') return renderer([piece]);
      const bytes = options.readFile?.(piece.hash);
      if (!bytes) throw missingBody(step);
      return bytes.subarray(piece.start, piece.end);
    });
    return (scope) => Buffer.concat(parts.map((part) => (typeof part === 'function' ? Buffer.from(part(scope)) : part)));
  };
  const awaited = ({ same, holds, atMostMs }: Awaited): CompiledSocket['awaits'] => ({
    atMostMs,
    accepts: (message, sent, scope) => {
      const answer = { view: message, location: undefined, bytes: message.body.length, durationMs: 0 };
      return (
        repeats({ same }, sent, message) &&
        holds.every((checked) => checkFailure({ checked }, answer, (template) => fill(template, scope)) === null)
      );
    },
  });
  const socketOf = (use: SocketUse): CompiledSocket => ({
    action: use.action,
    name: use.socket,
    format: use.action === 'send' ? use.format : 'text',
    awaits: 'awaits' in use && use.awaits ? awaited(use.awaits) : null,
  });
  const signsOf = (step: string): readonly FailureSign[] => {
    const shown = new Set(options.shownSigns?.[step]?.map((one) => JSON.stringify(one)));
    return shown.size === 0 ? environment.failureSigns : environment.failureSigns.filter((one) => !shown.has(JSON.stringify(one)));
  };
  const compileRequest = (step: RequestStep): CompiledRequest => {
    const checks = step.checks ?? [];
    const extracts = script.handoffs.flatMap((one) =>
      readPlaces(one)
        .filter((place) => place.step === step.id)
        .map(({ hop }) => ({ handoff: one.id, extractor: one.extractor, hop, fill: fillerOf(one.extractor, renderer) })),
    );
    const file = step.bodyFile === null ? null : options.readFile?.(step.bodyFile);
    if (file === undefined) throw missingBody(step);
    return {
      kind: 'request',
      step: step.id,
      method: step.method,
      origin: originOf(step),
      target: renderer(step.url),
      headers: step.headers.map(({ name, value }) => ({ name, value: rebase(name, renderer(value), environment) })),
      body: step.body ? bodyOf(step) : file,
      expect: step.expect,
      failureSigns: signsOf(step.id),
      extracts,
      readsBody:
        step.expect.title !== null ||
        step.expect.rootElement !== null ||
        environment.failureSigns.length > 0 ||
        checks.some(readsBody) ||
        keepsAnswerOf.has(step.id) ||
        usesCode ||
        extracts.some(({ extractor }) => extractor.kind !== 'header' && extractor.kind !== 'cookie'),
      followRedirects: step.followRedirects,
      checks,
      socket: step.socket ? socketOf(step.socket) : null,
      http2: step.http2 === true,
      fresh: [...new Set(dataOf([step.url, ...step.headers.map((one) => one.value), step.body ?? []]))].filter((table) =>
        options.dealtPerUse?.has(table),
      ),
    };
  };
  const compiled = (phase: Transaction['phase']): CompiledTransaction[] =>
    script.transactions
      .filter((one) => one.phase === phase)
      .map((transaction) => ({ name: transaction.name, operations: operationsOf(transaction.steps) }));
  const [before, transactions, after] = [compiled('before'), compiled(undefined), compiled('after')];
  return {
    script: script.id,
    before,
    transactions,
    after,
    fill,
    handoffNames: new Map(script.handoffs.map((one) => [one.id, one.name])),
    usesCode,
    keepsAnswerOf,
    tables: [...tables].filter((one) => !inLoops.has(one) && !options.dealtPerUse?.has(one)),
  };
}

/** Tables of which templates take something, each as often as it stands there. */
const dataOf = (templates: readonly Template[]): string[] =>
  templates.flatMap((template) => [...movingPieces(template)].flatMap((piece) => (piece.kind === 'data' ? [piece.table] : [])));

/** The text that an extractor looks for beside its match, where it has one. */
const fillerOf = (extractor: Extractor, renderer: (template: Template) => Render): Render | undefined =>
  extractor.beside && renderer(extractor.beside);

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

/** What the pieces of a script speak of. */
interface Names {
  made: ReadonlyMap<string, Made>;
  /** Filled with the tables that are met. */
  tables: Set<string>;
  variables: Readonly<Record<string, string>>;
}

function compileTemplate(template: Template, names: Names): Render {
  const parts = template.map((piece) => compilePiece(piece, names));
  const [only] = parts;
  if (parts.length === 1 && only) return only;
  return (scope) => {
    let text = '';
    for (const part of parts) text += part(scope);
    return text;
  };
}

function compilePiece(piece: Piece, { made, tables, variables }: Names): Render {
  switch (piece.kind) {
    case 'text': {
      const { text } = piece;
      return () => text;
    }
    case 'handoff':
      return written(piece, (scope) => scope.handoffs.get(piece.handoff));
    case 'data':
      tables.add(piece.table);
      return written(piece, (scope) => scope.rows.get(piece.table)?.get(piece.column));
    case 'variable': {
      const value = variables[piece.name];
      return written(piece, (scope) => scope.variables.get(piece.name) ?? value);
    }
    case 'file':
      return () => piece.recorded;
    case 'made': {
      const value = made.get(piece.made);
      return value ? (scope) => makeValue(value, scope) : () => piece.recorded;
    }
    case 'wrap': {
      const inner = compileTemplate(piece.pieces, { made, tables, variables });
      return (scope) => encode(piece.encoding, inner(scope));
    }
  }
}

/** What a piece stands for in the form in which it is written; what was recorded in its place where it stands for nothing yet. */
function written({ as, recorded }: { as?: string | undefined; recorded: string }, valueOf: (scope: Scope) => string | undefined): Render {
  if (as === undefined) return (scope) => valueOf(scope) ?? recorded;
  return (scope) => {
    const value = valueOf(scope);
    return value === undefined ? recorded : inForm(as, value);
  };
}

/** Steps with files that follow each other put side by side; a file from which something is read keeps its place. */
function withFilesTogether(steps: readonly Step[], readFrom: ReadonlySet<string>): Step[] {
  const isFile = (step: Step): step is RequestStep =>
    step.kind === 'request' &&
    step.method === 'GET' &&
    !readFrom.has(step.id) &&
    (step.checks ?? []).length === 0 &&
    isFilePath(recordedText(step.url));
  const together: Step[] = [];
  let files: RequestStep[] = [];
  const flush = () => {
    const [first] = files;
    if (first && files.length > 1) together.push({ kind: 'side-by-side', id: `files of ${first.id}`, steps: files });
    else together.push(...files);
    files = [];
  };
  for (const step of steps) {
    if (isFile(step)) files.push(step);
    else {
      flush();
      together.push(step);
    }
  }
  flush();
  return together;
}
