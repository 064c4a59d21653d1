import { actionKindOf, isAction } from '../actions/action-kinds.js';
import { sentNodes } from '../actions/sent-parts.js';
import { allSteps } from '../script/step.schema.js';
import { recordedSteps, type Script } from '../script/script.schema.js';
import type { Template } from '../values/template.schema.js';
import type { SentNode } from '../actions/sent-values.js';
import { templatesOf } from '../script/step-templates.js';
import { movingPieces } from '../values/template.js';

/** Where each handoff and client-made value is used: by its id, the steps and the places where it is sent, or `not sent`. */
export function usePlaces(script: Script): Map<string, { step: string; place: string }[]> {
  const found = new Map<string, { step: string; place: string }[]>();
  const add = (step: string, place: string, template: Template): void => {
    for (const piece of movingPieces(template)) {
      const id = piece.kind === 'handoff' ? piece.handoff : piece.kind === 'made' ? piece.made : undefined;
      if (id !== undefined) found.set(id, [...(found.get(id) ?? []), { step, place }]);
    }
  };
  for (const { step } of recordedSteps(script)) {
    const walk = (node: SentNode): void => {
      const inKids = node.kids.length > 0 && node.template.every((piece) => piece.kind === 'text' || piece.kind === 'wrap');
      if (inKids) node.kids.forEach(walk);
      else add(step.id, node.place, node.template);
    };
    sentNodes(step).forEach(walk);
  }
  // What is not sent but looked for: in checks, conditions, variables and the log.
  for (const { steps } of script.transactions)
    for (const step of allSteps(steps)) {
      const sent = new Set(isAction(step) ? actionKindOf(step).sent(step) : []);
      for (const template of templatesOf(step)) if (!sent.has(template)) add(step.id, 'not sent', template);
    }
  return found;
}
