import { stringify } from 'yaml';
import type { Handoff, Script } from '../../script/script.schema.js';
import type { Step } from '../../script/step.schema.js';
import { lineText } from './line-text.js';
import { messageText } from './message-text.js';
import { requestText } from './request-text.js';
import { scriptTextVersion, type ScriptText, type StepText } from './script-text.schema.js';
import { StepWriter } from './step-writer.js';
import { pieceNames, type PieceNames } from './template-text.js';

/** Writes a script as YAML that reads back to the same script. `files` are bodies by hash, in base64, for a script that travels alone. */
export function writeScript(script: Script, files?: ReadonlyMap<string, string>): string {
  const names = pieceNames(script);
  const firstRecorded = new Map([...script.handoffs, ...script.made].map((named) => [named.name, named.recorded]));
  const text: ScriptText = {
    script: scriptTextVersion,
    name: script.name,
    transactions: script.transactions.map((transaction) => ({
      transaction: transaction.name,
      id: transaction.id,
      ...(transaction.phase === undefined ? {} : { phase: transaction.phase }),
      ...(transaction.part === undefined ? {} : { part: transaction.part }),
      steps: transaction.steps.map((step) => stepToText(step, names, firstRecorded)),
    })),
    ...(script.handoffs.length === 0 ? {} : { handoffs: Object.fromEntries(script.handoffs.map((handoff) => handoffToText(handoff))) }),
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

function stepToText(step: Step, names: PieceNames, firstRecorded: ReadonlyMap<string, string>): StepText {
  const writer = new StepWriter(names, firstRecorded);
  const inner = (steps: readonly Step[]): StepText[] => steps.map((innerStep) => stepToText(innerStep, names, firstRecorded));
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
      return { 'side-by-side': step.steps.map((requestStep) => requestText.write(requestStep, new StepWriter(names, firstRecorded))), id };
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
      return requestText.write(step, writer);
    case 'message':
      return messageText.write(step, writer);
    case 'line':
      return lineText.write(step, writer);
  }
}
