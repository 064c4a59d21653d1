import type { Piece, Template } from '../values/template.schema.js';
import { compact, isStill, recordedOf } from '../values/template.js';
import type { ValueSpan, ValueTree } from '../values/value-tree.js';

/** A value that a request sends: where it stands, what it is called there, and its text with all wrappings taken off. */
export interface SentValue {
  place: string;
  name: string;
  value: string;
}

/** A value with what stands at its place now, and the values inside it. */
export interface SentNode extends SentValue {
  /** What the script sends there. */
  template: Template;
  /** True for a field name or object key. */
  isName: boolean;
  /** True where the values inside lie under a wrapping that nothing announced. */
  peeled: boolean;
  kids: SentNode[];
}

/** True where a node is listed as a value of its own: nothing in it, or only what was peeled from it. */
export const isLeaf = (node: SentNode): boolean => node.kids.length === 0 || node.peeled;

/** The values that a tester sees: leaves; a field name or a peeled value only where something moves in it. */
export function* leavesOf(nodes: readonly SentNode[]): Generator<SentNode> {
  for (const node of nodes) {
    if (!isLeaf(node) && isCovered(node)) yield node;
    else if (!isLeaf(node)) yield* leavesOf(node.kids);
    else if (!node.isName || !isStill(node.template)) yield node;
  }
}

/** True where one moving piece stands for the whole of a node. */
const isCovered = (node: SentNode): boolean =>
  node.template.length === 1 && node.template[0]?.kind !== 'text' && node.template[0]?.kind !== 'wrap';

/** The pieces that stand in `template` between two offsets of its recorded text; undefined where a moving one crosses them. */
function piecesBetween(template: Template, start: number, end: number): Piece[] | undefined {
  const found: Piece[] = [];
  let at = 0;
  for (const piece of template) {
    const text = recordedOf(piece);
    const from = Math.max(start, at);
    const to = Math.min(end, at + text.length);
    if (from < to) {
      if (piece.kind === 'text') found.push({ kind: 'text', text: text.slice(from - at, to - at) });
      else if (from === at && to === at + text.length) found.push(piece);
      else return undefined;
    }
    at += text.length;
  }
  return found;
}

/** What stands inside a span, its wrapping taken off; undefined where a moving piece reaches over its ends or hides its wrapping. */
function insideOf(kid: ValueSpan, template: Template): Template | undefined {
  const present = piecesBetween(template, kid.start, kid.end);
  if (!present) return undefined;
  if (isStill(present)) return [{ kind: 'text', text: kid.tree.text }];
  const [first] = present;
  if (kid.encoding === null) return present;
  if (present.length !== 1 || first === undefined) return undefined;
  if (first.kind === 'wrap' && first.encoding === kid.encoding) return first.pieces;
  return undefined;
}

/** The nodes of a tree, with what stands at each place. */
export function nodesOf(tree: ValueTree, template: Template): SentNode[] {
  return tree.kids.flatMap((kid): SentNode[] => {
    const inside = insideOf(kid, template);
    if (!inside) return [];
    return [
      {
        place: kid.place,
        name: kid.name,
        value: kid.tree.text,
        template: inside,
        isName: kid.isName,
        peeled: kid.tree.peeled,
        kids: nodesOf(kid.tree, inside),
      },
    ];
  });
}

/**
 * Builds a template anew from its value tree. `bind` is asked for each value, outer ones first: a template replaces the value,
 * undefined goes on to the values inside it. Moving pieces that are there stay.
 */
export function bindTree(
  tree: ValueTree,
  template: Template,
  bind: (value: SentValue, current: Template) => Template | undefined,
): Template {
  const pieces: Piece[] = [];
  let at = 0;
  for (const kid of tree.kids) {
    const before = piecesBetween(template, at, kid.start);
    const inside = insideOf(kid, template);
    if (!before || !inside) continue;
    pieces.push(...before);
    at = kid.end;
    const raw = tree.text.slice(kid.start, kid.end);
    const bound =
      bind({ place: kid.place, name: kid.name, value: kid.tree.text }, inside) ??
      (kid.tree.kids.length > 0 ? bindTree(kid.tree, inside, bind) : inside);
    if (isStill(bound)) pieces.push({ kind: 'text', text: raw });
    else if (kid.encoding) pieces.push({ kind: 'wrap', encoding: kid.encoding, pieces: bound, recorded: raw });
    else pieces.push(...bound);
  }
  pieces.push(...(piecesBetween(template, at, tree.text.length) ?? []));
  return compact(pieces);
}
