import { recordedSteps, type Script } from '../script/script.schema.js';
import type { Piece, Template } from '../values/template.schema.js';
import { sentNodes } from '../actions/sent-parts.js';
import { isLeaf, type SentNode } from '../actions/sent-values.js';
import { isStill, recordedText } from '../values/template.js';

/**
 * A handoff that is read in the row of a typed text follows that text: once the text comes from data, or is made anew, the row is
 * looked for by what is sent now.
 */
export function followRows(script: Script): Script {
  if (!script.handoffs.some((handoff) => handoff.extractor.beside && isStill(handoff.extractor.beside))) return script;
  const moving = new Map<string, { number: number; template: Template }[]>();
  const numbers = new Map<string, number>();
  for (const { step, number } of recordedSteps(script)) {
    numbers.set(step.id, number);
    const walk = (node: SentNode): void => {
      if (!isStill(node.template) && isLeaf(node) && !node.template.some(isWrap)) {
        const sent = { number, template: node.template };
        const list = moving.get(node.value);
        if (list) list.push(sent);
        else moving.set(node.value, [sent]);
      }
      node.kids.forEach(walk);
    };
    sentNodes(step).forEach(walk);
  }
  return {
    ...script,
    handoffs: script.handoffs.map((handoff) => {
      const { beside } = handoff.extractor;
      // What is sent later cannot have been shown yet.
      const sent = beside && isStill(beside) ? moving.get(recordedText(beside)) : undefined;
      const follows = sent?.find(({ number }) => number <= (numbers.get(handoff.origin) ?? 0))?.template;
      return follows ? { ...handoff, extractor: { ...handoff.extractor, beside: follows } } : handoff;
    }),
  };
}

const isWrap = (piece: Piece): boolean => piece.kind === 'wrap';
