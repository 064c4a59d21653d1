import { offsetOf, readYamlAs, schemaProblems } from '../yaml-schema.js';
import { readYaml } from '../yaml-text.js';
import { actionKindOf, isAction } from '../../actions/action-kinds.js';
import type { Check, Checked, Condition } from '../../check/check.schema.js';
import type { Handoff, GeneratedValue, Script, Transaction } from '../../script/script.schema.js';
import type { Part } from '../../script-edit/part.js';
import { codeLimits, type Loop, type Step } from '../../script/step.schema.js';
import type { Piece, Template } from '../../values/template.schema.js';
import type { StepReading } from './action-text.js';
import type { CheckText, ConditionText } from './check-text.schema.js';
import { readChecked } from './check-texts.js';
import { lineText } from './line-text.js';
import { messageText } from './message-text.js';
import { requestText } from './request-text.js';
import { withMessageTexts } from './earlier-texts.js';
import {
  usualRounds,
  PartTextSchema,
  ScriptTextSchema,
  scriptTextVersion,
  usualMeetMs,
  type ScriptText,
  type StepText,
} from './script-text.schema.js';
import { pieceNames, templateFromText, TemplateTextError, type ForeignValue, type PieceNames } from './template-text.js';

/** Something that is wrong in the text of a script, with the line and column (from 1) where it stands. */
export interface TextProblem {
  line: number;
  column: number;
  message: string;
}

/** What reading the text of a script gives: the script with the bodies that travel with it, or what is wrong. */
export type ReadScript = { script: Script; files: Map<string, string> } | { problems: TextProblem[] };

/**
 * Reads a script from its text. Everything that is wrong is listed with line and column; nothing is guessed. `base` gives what the
 * text does not hold: the ids of script, project and takes.
 */
export function readScript(text: string, base: Pick<Script, 'id' | 'projectId' | 'takeId' | 'secondTakeId'>): ReadScript {
  const yaml = readYaml(text);
  if ('problems' in yaml) return yaml;
  const { document } = yaml;
  const at = (offset: number, message: string): TextProblem => ({ ...yaml.placeOf(offset), message });
  const parsed = ScriptTextSchema.safeParse(withMessageTexts(yaml.value));
  if (!parsed.success) return { problems: schemaProblems(yaml, parsed.error.issues) };
  return new Reader(parsed.data, base, (path, offset, message) => at(offsetOf(document, path) + offset, message)).read();
}

/** What reading the text of a part gives. */
export type ReadPart = { part: Part } | { problems: TextProblem[] };

/** Reads a part from its text, as `readScript` reads a script. */
export function readPart(text: string, base: Pick<Part, 'id' | 'projectId'>): ReadPart {
  const read = readYamlAs(text, PartTextSchema);
  if ('problems' in read) return read;
  const { document, placeOf } = read.yaml;
  const { part: _version, name, steps, foreign = {}, ...rest } = read.value;
  const reader = new Reader(
    { script: scriptTextVersion, name, ...rest, transactions: [{ transaction: name, steps }] },
    { id: '', projectId: '', takeId: '', secondTakeId: null },
    // In the text of a part its steps stand alone.
    (path, offset, message) => ({ ...placeOf(offsetOf(document, path[0] === 'transactions' ? path.slice(2) : path) + offset), message }),
    { prefix: `${base.id}.`, foreign: Object.entries(foreign).map(([foreignName, value]) => ({ name: foreignName, ...value })) },
  );
  const whole = reader.read();
  if ('problems' in whole) return whole;
  const { transactions, handoffs, made } = whole.script;
  return {
    part: {
      ...base,
      name,
      steps: transactions[0]?.steps ?? [],
      handoffs,
      made,
      foreign: Object.entries(foreign).map(([foreignName, { id }]) => ({ id, name: foreignName })),
    },
  };
}

/** Signs of an id that is made of what a step is, at the most. */
const longestStem = 40;

/** All ids that stand in some steps and what they hold. */
function* writtenIds(value: unknown): Generator<string> {
  if (typeof value !== 'object' || value === null) return;
  for (const [key, inner] of Object.entries(value))
    if (key === 'id' && typeof inner === 'string') yield inner;
    else yield* writtenIds(inner);
}

/** Turns the validated text into a script. */
class Reader {
  readonly #reading: StepReading = {
    id: (written, letter, path) => this.#id(written, letter, path),
    problem: (path, offset, message) => {
      this.#problem(path, offset, message);
    },
    origin: (written, path) => this.#origin(written, path),
    templates: (recorded) => this.#templates(recorded),
    check: (check, path, template) => this.#check(check, path, template),
    checked: (check, path, template) => this.#checked(check, path, template),
  };

  readonly #problems: TextProblem[] = [];
  readonly #names: PieceNames;
  readonly #handoffs: Handoff[];
  readonly #made: GeneratedValue[];
  readonly #ids = new Set<string>();
  /** Ids that the text gives itself; none of them is given to another step. */
  readonly #written = new Set<string>();

  constructor(
    readonly text: ScriptText,
    readonly base: Pick<Script, 'id' | 'projectId' | 'takeId' | 'secondTakeId'>,
    readonly place: (path: PropertyKey[], offset: number, message: string) => TextProblem,
    /** Ids that are made begin so, and values that are read or made elsewhere: both for a part only. */
    readonly within: { prefix: string; foreign: readonly ForeignValue[] } = { prefix: '', foreign: [] },
  ) {
    const { prefix, foreign } = within;
    this.#handoffs = Object.entries(text.handoffs ?? {}).map(([name, { from, hop, also, id, ...rest }], index) => ({
      id: id ?? `${prefix}h${index + 1}`,
      name,
      origin: from,
      extractor: rest.extractor,
      // Who writes it is sure of it, but nothing has shown it yet.
      evidence: rest.evidence ?? 'likely',
      reason: rest.reason ?? '',
      recorded: rest.recorded ?? '',
      ...(hop === undefined ? {} : { hop }),
      ...(also === undefined ? {} : { also: also.map(({ step, hop: at }) => (at === undefined ? { step } : { step, hop: at })) }),
    }));
    this.#made = Object.entries(text.made ?? {}).map(([name, { id, made, recorded, reason }], index) => ({
      id: id ?? `${prefix}m${index + 1}`,
      name,
      made,
      recorded: recorded ?? '',
      reason: reason ?? '',
    }));
    this.#names = pieceNames({ handoffs: this.#handoffs, made: this.#made, foreign });
    for (const id of writtenIds(text.transactions)) this.#written.add(id);
  }

  read(): ReadScript {
    const transactions = this.text.transactions.map((transaction, at): Transaction => ({
      kind: 'transaction',
      id: this.#id(transaction.id, 't', ['transactions', at]),
      name: transaction.transaction,
      ...(transaction.phase === undefined ? {} : { phase: transaction.phase }),
      ...(transaction.part === undefined ? {} : { part: transaction.part }),
      steps: transaction.steps.map((step, index) => this.#step(step, ['transactions', at, 'steps', index])),
    }));
    for (const handoff of this.#handoffs)
      for (const step of [handoff.origin, ...(handoff.also ?? []).map((place) => place.step)])
        if (!this.#ids.has(step))
          this.#problem(['handoffs', handoff.name, 'from'], 0, `No step has the id “${step}”, from which “${handoff.name}” is read.`);
    if (this.#problems.length > 0) return { problems: this.#problems };
    return {
      script: {
        ...this.base,
        name: this.text.name,
        transactions,
        handoffs: this.#handoffs,
        made: this.#made,
        unsure: this.text.unsure ?? [],
      },
      files: new Map(Object.entries(this.text.files ?? {})),
    };
  }

  #problem(path: PropertyKey[], offset: number, message: string): void {
    this.#problems.push(this.place(path, offset, message));
  }

  #id(wanted: string | undefined, letter: string, path: PropertyKey[]): string {
    const id = wanted ?? this.#newId(letter, path);
    if (this.#ids.has(id)) this.#problem([...path, 'id'], 0, `The id “${id}” is used twice. Give one of the two steps another.`);
    this.#ids.add(id);
    return id;
  }

  /** An id for what has none, after what it is: steps that are put in elsewhere do not change it. */
  #newId(letter: string, path: PropertyKey[]): string {
    const node = path.reduce<unknown>((inner, key) => (inner as Record<PropertyKey, unknown> | undefined)?.[key], this.text);
    const [first] = Object.values(node ?? {}) as unknown[];
    const words = (typeof first === 'string' || typeof first === 'number' ? String(first) : '').toLowerCase().match(/[a-z\d]+/g) ?? [];
    const stem = this.within.prefix + [letter, ...words].join('-').slice(0, longestStem);
    for (let n = 1; ; n++) {
      const id = n === 1 ? stem : `${stem}-${n}`;
      if (!this.#ids.has(id) && !this.#written.has(id)) return id;
    }
  }

  #step(step: StepText, path: PropertyKey[]): Step {
    if ('request' in step) return requestText.read(step, this.#reading, path);
    if ('message' in step) return messageText.read(step, this.#reading, path);
    if ('line' in step) return lineText.read(step, this.#reading, path);
    if ('pause' in step)
      return { kind: 'pause', id: this.#id(step.id, 'p', path), ms: step.pause, ...(step.spread && { spread: step.spread }) };
    if ('comment' in step) return { kind: 'comment', id: this.#id(step.id, 'c', path), text: step.comment };
    if ('code' in step)
      return {
        kind: 'code',
        id: this.#id(step.id, 'j', path),
        name: step.code,
        source: step.source,
        timeMs: step.timeMs ?? codeLimits.timeMs,
        memoryMb: step.memoryMb ?? codeLimits.memoryMb,
      };
    if ('meet' in step)
      return { kind: 'meet', id: this.#id(step.id, 'm', path), name: step.meet, users: step.users, atMostMs: step.atMostMs ?? usualMeetMs };
    if ('side-by-side' in step)
      return {
        kind: 'side-by-side',
        id: this.#id(step.id, 'b', path),
        steps: step['side-by-side'].map((text, at) => requestText.read(text, this.#reading, [...path, 'side-by-side', at])),
      };
    const template = this.#templates(step.recorded);
    if ('log' in step) return { kind: 'log', id: this.#id(step.id, 'l', path), text: template(step.log, [...path, 'log']) };
    if ('variable' in step)
      return {
        kind: 'variable',
        id: this.#id(step.id, 'v', path),
        name: step.variable,
        value: template(step.value, [...path, 'value']),
      };
    if ('cookie' in step) {
      const { action = 'set' } = step;
      if (action !== 'delete' && step.value === undefined)
        this.#problem([...path, 'cookie'], 0, 'Write the value beside it, or action: delete where the cookie shall go.');
      const value = template(step.value ?? '', [...path, 'value']);
      return {
        kind: 'cookie',
        id: this.#id(step.id, 'k', path),
        action,
        origin: this.#origin(step.origin, path),
        name: step.cookie,
        value,
      };
    }
    const condition = ({ left, is, right }: ConditionText, at: PropertyKey[]): Condition => ({
      left: template(left, [...path, ...at, 'left']),
      is,
      right: template(right ?? '', [...path, ...at, 'right']),
    });
    const steps = (): Step[] => step.steps.map((text, at) => this.#step(text, [...path, 'steps', at]));
    if ('when' in step)
      return {
        kind: 'when',
        id: this.#id(step.id, 'w', path),
        name: step.when,
        condition: condition(step.condition, ['condition']),
        steps: steps(),
      };
    const { eachMatch, eachRow } = step;
    const loop: Loop | undefined = step.while
      ? { kind: 'while', condition: condition(step.while, ['while']) }
      : eachRow !== undefined
        ? { kind: 'each-row', table: eachRow }
        : eachMatch && { kind: 'each-match', ...eachMatch };
    if (!loop && step.times === undefined) this.#problem([...path, 'repeat'], 0, 'Write how many rounds there are, such as times: 3.');
    return {
      kind: 'repeat',
      id: this.#id(step.id, 'r', path),
      name: step.repeat,
      times: step.times ?? usualRounds,
      pauseMs: step.pauseMs ?? 0,
      ...(loop && { loop }),
      steps: steps(),
    };
  }

  #origin(written: string | undefined, path: PropertyKey[]): string {
    const origin = written ?? this.text.origin;
    if (origin === undefined)
      this.#problem(
        path,
        0,
        'Nobody can tell where this goes. Write its origin, such as http://127.0.0.1:4701, here or once at the top of the file.',
      );
    else if (!URL.canParse(origin)) {
      const place = written === undefined ? ['origin'] : [...path, 'origin'];
      this.#problem(place, 0, `“${origin}” is no origin. Write one such as http://127.0.0.1:4701.`);
    }
    return origin ?? '';
  }

  /** Reads the templates of a step, with what was recorded in their pieces. */
  #templates(secrets: Record<string, string> | undefined): (text: string, at: PropertyKey[]) => Template {
    const recorded = new Map(Object.entries(secrets ?? {}));
    return (text, at) => {
      try {
        return templateFromText(text, this.#names, recorded);
      } catch (error) {
        if (!(error instanceof TemplateTextError)) throw error;
        this.#problem(at, text.includes('\n') ? 0 : error.offset, error.message);
        return [];
      }
    };
  }

  #check(check: CheckText, path: PropertyKey[], template: (text: string, at: PropertyKey[]) => Template): Check {
    const checked = this.#checked(check, path, template);
    return { id: this.#id(check.id, 'check', path), checked, onFailure: check.onFailure ?? 'mark' };
  }

  #checked(check: CheckText, path: PropertyKey[], template: (text: string, at: PropertyKey[]) => Template): Checked {
    return readChecked(check, (text, key) => template(text, [...path, key]));
  }
}

/** The hashes of all stored bodies that a script sends. */
export function filesOf(script: Script): Set<string> {
  const found = new Set<string>();
  const walk = (pieces: readonly Piece[]): void => {
    for (const piece of pieces) {
      if (piece.kind === 'file') found.add(piece.hash);
      if (piece.kind === 'wrap') walk(piece.pieces);
    }
  };
  const steps = (all: readonly Step[]): void => {
    for (const step of all) {
      if ('steps' in step) steps(step.steps);
      if (!isAction(step)) continue;
      for (const hash of actionKindOf(step).files(step)) found.add(hash);
      actionKindOf(step).sent(step).forEach(walk);
    }
  };
  for (const transaction of script.transactions) steps(transaction.steps);
  return found;
}
