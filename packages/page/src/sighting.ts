import type { Aim, WayKind } from '@sturdy/core';
import { elementsOf, foundBy, roleOf } from './ways.js';

/** What an aim finds in a document. */
export interface Sighting {
  /** The element that most of the ways agree on; null where none is sure enough. */
  element: Element | null;
  /** The best way that led to it, and those before it that failed or led elsewhere. */
  by: WayKind | null;
  failed: WayKind[];
}

/** How much a way counts: what people read and what programmers gave for good count more than where a thing stands. */
const weights: Readonly<Record<WayKind, number>> = { role: 5, label: 4, 'test-id': 6, attribute: 3, text: 3, near: 2, path: 1 };
/** What a way says that finds several, beside one that finds one alone: by itself it decides nothing. */
const severalShare = 0.25;
/** An element needs as much; where something stands alone says too little. */
const leastWeight = 2;

/** How many ways lead to an element, alone or with others. */
const ledTo = (results: readonly { found: readonly Element[] }[], element: Element): number =>
  results.filter(({ found }) => found.includes(element)).length;

/**
 * Finds what an aim meant. Every way votes for what it finds, with little weight and in equal shares where that is more than one; the element with the most
 * votes is it, where no other comes near to it, and where it is a thing of the same kind as the recorded one. Otherwise none is: a wrong element is worse
 * than none.
 */
export function sight(aim: Aim): Sighting {
  const elements = elementsOf(document);
  const results = aim.ways.map((way) => ({ way, found: foundBy(way, elements) }));
  const votes = new Map<Element, number>();
  for (const { way, found } of results)
    for (const element of found)
      votes.set(
        element,
        (votes.get(element) ?? 0) + (found.length === 1 ? weights[way.kind] : (severalShare * weights[way.kind]) / found.length),
      );
  const ordered = [...votes].sort(([, left], [, right]) => right - left);
  const [best, second] = ordered;
  const most = aim.ways.reduce((sum, way) => sum + weights[way.kind], 0);
  const nobody: Sighting = { element: null, by: null, failed: aim.ways.map(({ kind }) => kind) };
  if (!best) return nobody;
  const [element, weight] = best;
  if (second && second[1] > weight * 0.75) return nobody;
  // An aim whose recorded ways were poor is held to what it had. What nothing is called any more may have got another name where it stands.
  const isRenamed = !results.some(({ way, found }) => way.kind === 'role' && found.length > 0) && ledTo(results, element) > 1;
  // However many ways find several, together they are sure of none.
  const sure = results.reduce((sum, { way, found }) => sum + (found.length === 1 && found[0] === element ? weights[way.kind] : 0), 0);
  if (sure < Math.min(leastWeight, most) && !isRenamed) return nobody;
  const role = aim.ways.find((way) => way.kind === 'role');
  if (role && roleOf(element) !== role.role) return nobody;
  const first = results.findIndex(({ found }) => found.length === 1 && found[0] === element);
  const by = results[first] ?? results.find(({ found }) => found.includes(element));
  return {
    element,
    by: by?.way.kind ?? null,
    failed: results.slice(0, first < 0 ? results.length : first).map(({ way }) => way.kind),
  };
}
