import type { Exchange, LoadedTake } from '../../take/take.schema.js';
import { recordedSteps, type Script } from '../../script/script.schema.js';
import { sentNodes, type RecordedStep } from '../../actions/sent-parts.js';
import { isLeaf, type SentNode } from '../../actions/sent-values.js';
import { isStill } from '../../values/template.js';
import type { Origin, ValueIndex } from './value-index.js';
import { spansOf } from './words.js';

/** A sent value, or a part of one, that a response gave; not yet judged. */
export interface Candidate extends StepOfTake {
  node: SentNode;
  /** The text in question: the node's value, or the part of it between `start` and `end`. */
  value: string;
  start: number;
  end: number;
  origins: Origin[];
}

/** The shortest part of a value that is looked at without any proof that it moves. */
const shortestPart = 3;

/** A step of a script with the exchange it came from. */
export interface StepOfTake {
  step: RecordedStep;
  number: number;
  exchange: Exchange;
}

export function stepsOfTake(script: Script, loaded: LoadedTake): StepOfTake[] {
  const byNumber = new Map(loaded.exchanges.map((exchange) => [exchange.n, exchange]));
  return recordedSteps(script).flatMap(({ step, number }) => {
    const exchange = step.exchange === null ? undefined : byNumber.get(step.exchange);
    return exchange ? [{ step, number, exchange }] : [];
  });
}

/** Goes through the values of a step that are sent as recorded, outer ones first; `visit` says whether what is inside is dealt with too. */
export function visitStill(step: RecordedStep, visit: (node: SentNode) => boolean): void {
  const walk = (node: SentNode): void => {
    const still = isStill(node.template);
    // What a moving piece stands for as a whole has nothing left to find.
    if (!still && node.template.length === 1 && node.template[0]?.kind !== 'wrap') return;
    if (still && node.value !== '' && visit(node)) return;
    node.kids.forEach(walk);
  };
  sentNodes(step).forEach(walk);
}

/**
 * Goes through all values of a script that are sent as recorded although a response gave them: outer values before those in them,
 * long parts before short ones. `visit` says whether the value is dealt with; then nothing inside it is looked at.
 */
export function visitCandidates(script: Script, loaded: LoadedTake, index: ValueIndex, visit: (candidate: Candidate) => boolean): void {
  for (const stepOfTake of stepsOfTake(script, loaded))
    visitStill(stepOfTake.step, (node) => {
      const origins = index.origins(node.value, node.name, stepOfTake.exchange);
      if (origins.length > 0 && visit({ ...stepOfTake, node, value: node.value, start: 0, end: node.value.length, origins })) return true;
      if (isLeaf(node)) visitParts(node, index, stepOfTake.exchange, (part) => visit({ ...stepOfTake, node, ...part }));
      return false;
    });
}

export function visitParts(
  node: SentNode,
  index: ValueIndex,
  exchange: Exchange,
  visit: (part: Pick<Candidate, 'value' | 'start' | 'end' | 'origins'>) => boolean,
): void {
  const taken: { start: number; end: number }[] = [];
  for (const { text, start } of spansOf(node.value)) {
    const end = start + text.length;
    if (text.length < shortestPart && !/^\d+$/.test(text)) continue;
    if (taken.some((span) => start < span.end && end > span.start)) continue;
    const origins = index.origins(text, nameBefore(node, start), exchange);
    if (origins.length > 0 && visit({ value: text, start, end, origins })) taken.push({ start, end });
  }
}

/** What a part is called: the word before it (`id` in `id = 3`, `post` in `post-12`), else what the whole is called. */
export const nameBefore = (node: SentNode, start: number): string =>
  /([A-Za-z][\w-]*?)[^A-Za-z0-9]*$/.exec(node.value.slice(0, start))?.[1] ?? node.name;
