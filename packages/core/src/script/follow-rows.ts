import { requestSteps, type Piece, type Script, type Template } from './script.schema.js';
import { sentNodes } from './request-parts.js';
import { isLeaf, type SentNode } from './sent-values.js';
import { isStill, recordedText } from './template.js';

/**
 * A handoff that is read in the row of a typed text follows that text: once the text comes from data, or is made anew, the row is
 * looked for by what is sent now.
 */
export function followRows(script: Script): Script {
  if (!script.handoffs.some((one) => one.extractor.beside && isStill(one.extractor.beside))) return script;
  const moving = new Map<string, Template>();
  const walk = (node: SentNode): void => {
    if (!isStill(node.template) && isLeaf(node) && !node.template.some(isWrap)) moving.set(node.value, node.template);
    node.kids.forEach(walk);
  };
  for (const { step } of requestSteps(script)) sentNodes(step).forEach(walk);
  return {
    ...script,
    handoffs: script.handoffs.map((one) => {
      const { beside } = one.extractor;
      const follows = beside && isStill(beside) ? moving.get(recordedText(beside)) : undefined;
      return follows ? { ...one, extractor: { ...one.extractor, beside: follows } } : one;
    }),
  };
}

const isWrap = (piece: Piece): boolean => piece.kind === 'wrap';
