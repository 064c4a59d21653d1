import { stringify } from 'yaml';
import type { Step } from '../../script/step.schema.js';
import type { Awaited, Expectation, RequestStep, SocketUse } from '../../actions/http/request.schema.js';
import type { Check, Checked, Condition } from '../../check/check.schema.js';
import type { Handoff, Script } from '../../script/script.schema.js';
import type { Template } from '../../values/template.schema.js';
import { movingPieces } from '../../values/template.js';
import {
  scriptTextVersion,
  type CheckText,
  type ConditionText,
  type RequestText,
  type ScriptText,
  type SocketText,
  type StepText,
} from './script-text.schema.js';
import { labelOf, pieceNames, templateToText, type PieceNames } from './template-text.js';

/** Writes a script as YAML that reads back to the same script. `files` are bodies by hash, in base64, for a script that travels alone. */
export function writeScript(script: Script, files?: ReadonlyMap<string, string>): string {
  const names = pieceNames(script);
  const firstRecorded = new Map([...script.handoffs, ...script.made].map((one) => [one.name, one.recorded]));
  const text: ScriptText = {
    script: scriptTextVersion,
    name: script.name,
    transactions: script.transactions.map((one) => ({
      transaction: one.name,
      id: one.id,
      ...(one.phase === undefined ? {} : { phase: one.phase }),
      steps: one.steps.map((step) => stepToText(step, names, firstRecorded)),
    })),
    ...(script.handoffs.length === 0 ? {} : { handoffs: Object.fromEntries(script.handoffs.map((one) => handoffToText(one))) }),
    ...(script.made.length === 0 ? {} : { made: Object.fromEntries(script.made.map(({ name, ...rest }) => [name, rest])) }),
    ...(script.unsure.length === 0 ? {} : { unsure: script.unsure }),
    ...(files && files.size > 0 ? { files: Object.fromEntries(files) } : {}),
  };
  // What stands twice is written twice: a reader of the text should not have to follow references.
  return stringify(text, { lineWidth: 0, aliasDuplicateObjects: false });
}

const handoffToText = ({ name, origin, hop, also, ...rest }: Handoff): [string, NonNullable<ScriptText['handoffs']>[string]] => [
  name,
  {
    from: origin,
    ...(hop === undefined ? {} : { hop }),
    ...(also === undefined ? {} : { also }),
    ...rest,
  },
];

/** Writes the templates of one step, and gathers what was recorded in their pieces where the script does not say it already. */
class StepWriter {
  readonly #recorded: Record<string, string> = {};

  constructor(
    readonly names: PieceNames,
    readonly firstRecorded: ReadonlyMap<string, string>,
  ) {}

  text(template: Template): string {
    for (const piece of movingPieces(template)) {
      const label = labelOf(piece, this.names);
      // A handoff that is written in another form is recorded in that form.
      if (this.firstRecorded.get(label) !== piece.recorded) this.#recorded[label] = piece.recorded;
    }
    return templateToText(template, this.names);
  }

  condition({ left, is, right }: Condition): ConditionText {
    return { left: this.text(left), is, ...(right.length === 0 ? {} : { right: this.text(right) }) };
  }

  check({ id, checked, onFailure }: Check): CheckText {
    return { ...this.checked(checked), id, ...(onFailure === 'mark' ? {} : { onFailure }) };
  }

  checked(checked: Checked): CheckText {
    switch (checked.kind) {
      case 'text':
        return checked.present ? { has: this.text(checked.text) } : { lacks: this.text(checked.text) };
      case 'value':
        return {
          value: checked.extractor,
          is: checked.is,
          ...(checked.than.length === 0 ? {} : { than: this.text(checked.than) }),
        };
      case 'count':
        return { count: checked.extractor, atLeast: checked.atLeast, atMost: checked.atMost };
      case 'status':
        return { status: checked.statuses };
      case 'redirect':
        return { redirect: this.text(checked.to) };
      case 'size':
        return { size: { atLeast: checked.atLeast, atMost: checked.atMost } };
      case 'time':
        return { time: checked.atMostMs };
    }
  }

  socket(use: SocketUse): SocketText {
    const awaited = ({ same, holds, atMostMs }: Awaited) => ({
      ...(same.length === 0 ? {} : { same }),
      ...(holds.length === 0 ? {} : { holds: holds.map((checked) => this.checked(checked)) }),
      atMostMs,
    });
    switch (use.action) {
      case 'open':
        return { open: use.socket };
      case 'send':
        return {
          send: use.socket,
          ...(use.format === 'text' ? {} : { format: use.format }),
          ...(use.awaits && { awaits: awaited(use.awaits) }),
        };
      case 'await':
        return { await: use.socket, awaits: awaited(use.awaits) };
      case 'close':
        return { close: use.socket };
    }
  }

  /** What was recorded in the pieces of what was written until now. */
  recorded(): { recorded?: Record<string, string> } {
    return Object.keys(this.#recorded).length === 0 ? {} : { recorded: this.#recorded };
  }
}

function stepToText(step: Step, names: PieceNames, firstRecorded: ReadonlyMap<string, string>): StepText {
  const writer = new StepWriter(names, firstRecorded);
  const inner = (steps: readonly Step[]): StepText[] => steps.map((one) => stepToText(one, names, firstRecorded));
  const { id } = step;
  switch (step.kind) {
    case 'pause':
      return { pause: step.ms, id, ...(step.spread && { spread: step.spread }) };
    case 'comment':
      return { comment: step.text, id };
    case 'log':
      return { log: writer.text(step.text), id, ...writer.recorded() };
    case 'variable':
      return { variable: step.name, value: writer.text(step.value), id, ...writer.recorded() };
    case 'cookie':
      return { cookie: step.name, action: step.action, origin: step.origin, value: writer.text(step.value), id, ...writer.recorded() };
    case 'code':
      return { code: step.name, source: step.source, id, timeMs: step.timeMs, memoryMb: step.memoryMb };
    case 'meet':
      return { meet: step.name, users: step.users, atMostMs: step.atMostMs, id };
    case 'side-by-side':
      return { 'side-by-side': step.steps.map((one) => requestToText(one, names, firstRecorded)), id };
    case 'repeat': {
      const { loop } = step;
      const by =
        loop?.kind === 'while'
          ? { while: writer.condition(loop.condition) }
          : loop?.kind === 'each-row'
            ? { eachRow: loop.table }
            : loop
              ? { eachMatch: { step: loop.step, extractor: loop.extractor, variable: loop.variable } }
              : {};
      return { repeat: step.name, id, times: step.times, pauseMs: step.pauseMs, ...by, ...writer.recorded(), steps: inner(step.steps) };
    }
    case 'when':
      return { when: step.name, id, condition: writer.condition(step.condition), ...writer.recorded(), steps: inner(step.steps) };
    case 'request':
      return requestToText(step, names, firstRecorded);
  }
}

function requestToText(step: RequestStep, names: PieceNames, firstRecorded: ReadonlyMap<string, string>): RequestText {
  const writer = new StepWriter(names, firstRecorded);
  const url = writer.text(step.url);
  const headers = step.headers.map(({ name, value }) => ({ [name]: writer.text(value) }));
  const body = step.body && writer.text(step.body);
  const checks = (step.checks ?? []).map((one) => writer.check(one));
  const socket = step.socket && writer.socket(step.socket);
  const expect = Object.fromEntries(Object.entries(step.expect).filter(([, value]) => value !== null)) as Partial<Expectation>;
  const ownName = step.name.startsWith(`${step.method} `) ? step.name : `${step.method} ${step.name}`;
  return {
    request: ownName,
    id: step.id,
    ...(step.exchange === null ? {} : { exchange: step.exchange }),
    ...(step.hops === undefined ? {} : { hops: step.hops }),
    origin: step.origin,
    url,
    ...(headers.length === 0 ? {} : { headers }),
    ...(body === null ? {} : { body }),
    ...(step.bodyFile === null ? {} : { bodyFile: step.bodyFile }),
    ...writer.recorded(),
    expect,
    ...(step.followRedirects ? { followRedirects: true } : {}),
    ...(checks.length === 0 ? {} : { checks }),
    ...(socket && { socket }),
    ...(step.http2 && { http2: step.http2 }),
  };
}
