import { sentNodes } from './request-parts.js';
import { requestSteps, type Script } from './script.schema.js';
import type { SentNode } from './sent-values.js';
import { movingPieces } from './template.js';

/** Where each handoff and client-made value is sent: by its id, the steps and places. */
export function usePlaces(script: Script): Map<string, { step: string; place: string }[]> {
  const found = new Map<string, { step: string; place: string }[]>();
  for (const { step } of requestSteps(script)) {
    const walk = (node: SentNode): void => {
      const inKids = node.kids.length > 0 && node.template.every((piece) => piece.kind === 'text' || piece.kind === 'wrap');
      if (inKids) node.kids.forEach(walk);
      else
        for (const piece of movingPieces(node.template)) {
          const id = piece.kind === 'handoff' ? piece.handoff : piece.kind === 'made' ? piece.made : undefined;
          if (id !== undefined) found.set(id, [...(found.get(id) ?? []), { step: step.id, place: node.place }]);
        }
    };
    sentNodes(step).forEach(walk);
  }
  return found;
}
