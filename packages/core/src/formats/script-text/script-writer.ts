import { stringify } from 'yaml';
import type { Handoff, Script } from '../../script/script.schema.js';
import type { Part } from '../../script-edit/part.js';
import { allSteps, type Step } from '../../script/step.schema.js';
import { lineText } from './line-text.js';
import { messageText } from './message-text.js';
import { requestText } from './request-text.js';
import { scriptTextVersion, type PartText, type ScriptText, type StepText } from './script-text.schema.js';
import { StepWriter } from './step-writer.js';
import { templatesOf } from '../../script/step-templates.js';
import { movingPieces } from '../../values/template.js';
import { pieceNames, type ForeignValue, type NamedValues } from './template-text.js';

/** Writes a script as YAML that reads back to the same script. `files` are bodies by hash, in base64, for a script that travels alone. */
export function writeScript(script: Script, files?: ReadonlyMap<string, string>): string {
  const origin = usualOriginOf(script.transactions.flatMap(({ steps }) => steps));
  const write = stepWriterOf(script, origin);
  const text: ScriptText = {
    script: scriptTextVersion,
    name: script.name,
    ...(origin === undefined ? {} : { origin }),
    transactions: script.transactions.map((transaction) => ({
      transaction: transaction.name,
      id: transaction.id,
      ...(transaction.phase === undefined ? {} : { phase: transaction.phase }),
      ...(transaction.part === undefined ? {} : { part: transaction.part }),
      steps: transaction.steps.map(write),
    })),
    ...valueTexts(script),
    ...(script.unsure.length === 0 ? {} : { unsure: script.unsure }),
    ...(files && files.size > 0 ? { files: Object.fromEntries(files) } : {}),
  };
  return yaml(text);
}

/** Writes a part as YAML that reads back to the same part. */
export function writePart(part: Part): string {
  const origin = usualOriginOf(part.steps);
  const moving = allSteps(part.steps)
    .flatMap(templatesOf)
    .flatMap((template) => [...movingPieces(template)]);
  const foreign = part.foreign.map(({ id, name }): ForeignValue => {
    const isMade = moving.some((piece) => piece.kind === 'made' && piece.made === id);
    return { id, name, kind: isMade ? 'made' : 'handoff' };
  });
  const text: PartText = {
    part: scriptTextVersion,
    name: part.name,
    ...(origin === undefined ? {} : { origin }),
    steps: part.steps.map(stepWriterOf({ ...part, foreign }, origin)),
    ...valueTexts(part),
    ...(part.foreign.length === 0 ? {} : { foreign: Object.fromEntries(foreign.map(({ name, ...value }) => [name, value])) }),
  };
  return yaml(text);
}

// What stands twice is written twice: a reader of the text should not have to follow references.
const yaml = (text: ScriptText | PartText): string => stringify(text, { lineWidth: 0, aliasDuplicateObjects: false });

/** The origin that most steps have, so that it need not stand in each of them; the first of them where several do. */
function usualOriginOf(steps: readonly Step[]): string | undefined {
  const counts = new Map<string, number>();
  for (const step of allSteps(steps)) if ('origin' in step) counts.set(step.origin, (counts.get(step.origin) ?? 0) + 1);
  return [...counts].sort(([, left], [, right]) => right - left)[0]?.[0];
}

const valueTexts = ({ handoffs, made }: Pick<Script, 'handoffs' | 'made'>): Pick<ScriptText, 'handoffs' | 'made'> => ({
  ...(handoffs.length === 0 ? {} : { handoffs: Object.fromEntries(handoffs.map((handoff) => handoffToText(handoff))) }),
  ...(made.length === 0 ? {} : { made: Object.fromEntries(made.map(({ name, ...rest }) => [name, rest])) }),
});

/** Writes steps of a script or a part. */
function stepWriterOf(owner: NamedValues, origin: string | undefined): (step: Step) => StepText {
  const names = pieceNames(owner);
  const firstRecorded = new Map([...owner.handoffs, ...owner.made].map((named) => [named.name, named.recorded]));
  return (step) => stepToText(step, () => new StepWriter(names, firstRecorded, origin));
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

function stepToText(step: Step, newWriter: () => StepWriter): StepText {
  const writer = newWriter();
  const inner = (steps: readonly Step[]): StepText[] => steps.map((innerStep) => stepToText(innerStep, newWriter));
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
      return {
        cookie: step.name,
        action: step.action,
        ...writer.origin(step.origin),
        value: writer.text(step.value),
        id,
        ...writer.recorded(),
      };
    case 'code':
      return { code: step.name, source: step.source, id, timeMs: step.timeMs, memoryMb: step.memoryMb };
    case 'meet':
      return { meet: step.name, users: step.users, atMostMs: step.atMostMs, id };
    case 'side-by-side':
      return { 'side-by-side': step.steps.map((requestStep) => requestText.write(requestStep, newWriter())), id };
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
