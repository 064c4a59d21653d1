import { readPlaces, recordedSteps, type Handoff, type Script } from '../../script/script.schema.js';
import type { Template } from '../../values/template.schema.js';
import { usePlaces } from '../../script-edit/use-places.js';
import { changeAllTemplates } from '../../script/step-templates.js';
import { mapPieces } from '../../values/template.js';

/**
 * Makes one handoff of those that read the same place of several answers, such as a token that every page carries anew: it is read
 * at each of them, and the latest is sent. Only where the recording agrees that the latest one read is what each request sent.
 */
export function mergeRotating(script: Script): Script {
  const numbers = new Map(recordedSteps(script).map(({ step, number }) => [step.id, number]));
  const groups = new Map<string, Handoff[]>();
  for (const handoff of script.handoffs) {
    // Two things that are made one after the other are read alike and are still two things; their names tell.
    const key = `${handoff.name.replace(/ \d+$/, '')} ${JSON.stringify(handoff.extractor)}`;
    const group = groups.get(key);
    if (group) group.push(handoff);
    else groups.set(key, [handoff]);
  }
  const uses = new Map([...usePlaces(script)].map(([id, places]) => [id, places.map(({ step }) => numbers.get(step) ?? 0)]));
  const into = new Map<string, string>();
  const merged: Handoff[] = [];
  for (const group of groups.values()) {
    const ordered = [...group].sort((left, right) => (numbers.get(left.origin) ?? 0) - (numbers.get(right.origin) ?? 0));
    const [first, ...others] = ordered;
    if (!first) continue;
    if (others.length === 0 || !inTurn(ordered, numbers, uses)) {
      merged.push(...ordered);
      continue;
    }
    for (const handoff of others) into.set(handoff.id, first.id);
    const also = others.flatMap(readPlaces);
    const strongest = ordered.find((handoff) => handoff.evidence === 'proven') ?? first;
    merged.push({ ...first, evidence: strongest.evidence, reason: strongest.reason, also: [...(first.also ?? []), ...also] });
  }
  if (into.size === 0) return script;
  const rename = (template: Template): Template =>
    mapPieces(template, (piece) =>
      piece.kind === 'handoff' ? { ...piece, handoff: into.get(piece.handoff) ?? piece.handoff } : undefined,
    );
  const order = new Map(script.handoffs.map((handoff, at) => [handoff.id, at]));
  return {
    ...changeAllTemplates(script, rename),
    handoffs: merged.sort((left, right) => (order.get(left.id) ?? 0) - (order.get(right.id) ?? 0)),
  };
}

/** True where each handoff is used only after it was read and before the next one, with another value, is. */
function inTurn(ordered: readonly Handoff[], numbers: ReadonlyMap<string, number>, uses: ReadonlyMap<string, number[]>): boolean {
  return ordered.every((handoff, at) => {
    const next = ordered.slice(at + 1).find((otherHandoff) => otherHandoff.recorded !== handoff.recorded);
    const until = next ? (numbers.get(next.origin) ?? 0) : Infinity;
    const last = readPlaces(handoff).at(-1)?.step ?? handoff.origin;
    return (uses.get(handoff.id) ?? []).every((use) => use <= until) && (numbers.get(last) ?? 0) < until;
  });
}
