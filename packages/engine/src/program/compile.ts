import {
  allSteps,
  type ActionStep,
  drawnPause,
  drawnThink,
  holds,
  isAction,
  pauseMs,
  readPlaces,
  resolveTarget,
  templatesOf,
  type Condition,
  type Environment,
  type Extractor,
  type Loop,
  type Script,
  type Step,
  type Template,
  type ThinkTime,
  type Transaction,
} from '@sturdy/core';
import { asBrowsersPlay, compileAction, type ActionKindName, type CompiledAction } from '../drivers/kinds.js';
import { CompileError, type CompileContext, type CompileOptions } from '../contract/compile-context.js';
import { rulesFor, type ActionRules } from '../contract/rules.js';
import { compileTemplate, dataOf, type Fillers, type Render } from '../values/template.js';
import type { Scope } from '../values/scope.js';

/** A condition, ready to be asked. */
export type Asks = (scope: Scope) => boolean;

/** What a repeat goes by, where it is not a number of times. */
export type CompiledLoop =
  | { kind: 'while'; holds: Asks }
  | { kind: 'each-match'; step: string; extractor: Extractor; fill: Fillers; variable: string }
  | { kind: 'each-row'; table: string };

export type Operation =
  | { kind: 'action'; action: CompiledAction }
  | { kind: 'pause'; ms: (random: () => number) => number }
  | { kind: 'side-by-side'; actions: CompiledAction[] }
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
  /** What holds for all of its actions. */
  rules: ActionRules;
  /** Fills the templates of checks and extractors. */
  fill: Fillers;
  /** Names of handoffs by id, for code. */
  handoffNames: ReadonlyMap<string, string>;
  /** Kinds of the actions that it holds. */
  kinds: ReadonlySet<ActionKindName>;
  /** True where code may look at any answer before it. */
  usesCode: boolean;
  /** Steps whose answers are looked at again later. */
  keepsAnswerOf: ReadonlySet<string>;
  /** Tables of which an iteration needs a row when it starts; of others rows are dealt while it is played. */
  tables: string[];
}

const recordedPauses: ThinkTime = { kind: 'recorded', factor: 1, ms: 0, capMs: 3_600_000 };

/**
 * Compiles a script for an environment. `dealtPerUse` are tables of which each request that sends something of them gets a new row. Throws
 * `CompileError` where a step would hit what the environment does not allow.
 */
export function compile(script: Script, environment: Environment, options: CompileOptions = {}): Program {
  const made = new Map(script.made.map((generatedValue) => [generatedValue.id, generatedValue]));
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
  const steps = script.transactions.flatMap((transaction) => allSteps(transaction.steps));
  const keepsAnswerOf = new Set(
    steps.flatMap((step) => (step.kind === 'repeat' && step.loop?.kind === 'each-match' ? [step.loop.step] : [])),
  );
  // Code may look at any answer before it.
  const usesCode = steps.some((step) => step.kind === 'code');
  // Rows of which nothing is sent but with which something is compared are wanted too.
  for (const table of dataOf(steps.flatMap(templatesOf))) tables.add(table);
  const inLoops = new Set(steps.flatMap((step) => (step.kind === 'repeat' && step.loop?.kind === 'each-row' ? [step.loop.table] : [])));
  const loopOf = (loop: Loop): CompiledLoop => {
    if (loop.kind === 'while') return { kind: 'while', holds: asks(loop.condition) };
    if (loop.kind === 'each-row') return loop;
    return { kind: 'each-match', step: loop.step, extractor: loop.extractor, fill, variable: loop.variable };
  };
  /** Where a step goes. Throws where the environment does not allow it. */
  const originOf = (step: { origin: string; name: string }): string => {
    const target = resolveTarget(step.origin, environment, Date.now());
    if ('refused' in target) throw new CompileError(`Step “${step.name}” of “${script.name}”: ${target.refused}`);
    return target.origin;
  };
  const context: CompileContext = { script, environment, options, renderer, fill, originOf, usesCode, keepsAnswerOf };
  // Cookies are those of HTTP, and code looks at its answers.
  const kinds = new Set<ActionKindName>(steps.some((step) => step.kind === 'cookie' || step.kind === 'code') ? ['http'] : []);
  const action = (step: ActionStep): CompiledAction => {
    const compiled = compileAction(step, context);
    kinds.add(compiled.kind);
    return compiled;
  };
  const readFrom = new Set(script.handoffs.flatMap((handoff) => readPlaces(handoff).map((place) => place.step)));
  const operationsOf = (steps: readonly Step[]): Operation[] =>
    (options.filesSideBySide ? asBrowsersPlay(steps, readFrom) : steps).flatMap((step): Operation[] => {
      if (isAction(step)) return [{ kind: 'action', action: action(step) }];
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
        case 'side-by-side':
          return [{ kind: 'side-by-side', actions: step.steps.map(action) }];
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
  const compiled = (phase: Transaction['phase']): CompiledTransaction[] =>
    script.transactions
      .filter((transaction) => transaction.phase === phase)
      .map((transaction) => ({ name: transaction.name, operations: operationsOf(transaction.steps) }));
  const [before, transactions, after] = [compiled('before'), compiled(undefined), compiled('after')];
  return {
    script: script.id,
    rules: rulesFor(environment, options),
    before,
    transactions,
    after,
    fill,
    handoffNames: new Map(script.handoffs.map((handoff) => [handoff.id, handoff.name])),
    kinds,
    usesCode,
    keepsAnswerOf,
    tables: [...tables].filter((table) => !inLoops.has(table) && !options.dealtPerUse?.has(table)),
  };
}
