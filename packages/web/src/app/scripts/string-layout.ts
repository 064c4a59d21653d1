import {
  actionKindOf,
  isAction,
  movingPieces,
  readPlaces,
  type Handoff,
  type ActionStep,
  type Script,
  type Step,
  type Template,
  type Transaction,
} from '@sturdy/core';

/** A row of the time spine. */
export type SpineRow =
  | { kind: 'transaction'; id: string; name: string; phase: Transaction['phase']; part: string | undefined; top: number; height: number }
  | { kind: 'action'; id: string; step: ActionStep; number: number; depth: number; top: number; height: number; pieces: RowPiece[] }
  /** Everything else: containers, and steps that send nothing. */
  | { kind: 'other'; id: string; step: Exclude<Step, ActionStep>; depth: number; top: number; height: number };

/** A part of the list, in px from its top. */
export interface Sight {
  top: number;
  bottom: number;
}

/** A moving piece of a row, as its dot at the right. */
export interface RowPiece {
  kind: 'handoff' | 'data' | 'made' | 'variable';
  handoff: string | null;
}

/** A string as it is drawn: from its origin down one lane to its uses. */
export interface DrawnString {
  handoff: Handoff;
  hue: number;
  lane: number;
  originY: number;
  /** Further responses at which a rotating value is read again. */
  againY: number[];
  uses: { step: string; y: number }[];
}

const heights = { transaction: 34, action: 29, plain: 25 };
/** Lanes that fit into the gutter. */
export const laneCount = 5;

const pieces = (step: ActionStep): Template => actionKindOf(step).sent(step).flat();

// A step is never changed in place, so its pieces stay true; after each edit all rows are laid out again.
const knownPieces = new WeakMap<ActionStep, RowPiece[]>();

/** The moving pieces of a step, each once. */
function rowPieces(step: ActionStep): RowPiece[] {
  const before = knownPieces.get(step);
  if (before) return before;
  const found = new Map<string, RowPiece>();
  for (const piece of movingPieces(pieces(step))) {
    const key = piece.kind === 'handoff' ? piece.handoff : `${piece.kind} ${piece.recorded}`;
    if (!found.has(key)) found.set(key, { kind: piece.kind, handoff: piece.kind === 'handoff' ? piece.handoff : null });
  }
  const ownPieces = [...found.values()];
  knownPieces.set(step, ownPieces);
  return ownPieces;
}

/** Lays the script out as rows with their tops, in px. */
export function layRows(script: Script): SpineRow[] {
  const rows: SpineRow[] = [];
  let top = 0;
  let number = 0;
  const place = (height: number) => {
    const box = { top, height };
    top += height;
    return box;
  };
  for (const transaction of script.transactions) {
    const { id, name, phase, part } = transaction;
    rows.push({ kind: 'transaction', id, name, phase, part, ...place(heights.transaction) });
    addSteps(transaction.steps, 0);
  }
  return rows;

  function addSteps(steps: readonly Step[], depth: number): void {
    for (const step of steps)
      if (isAction(step)) {
        rows.push({ kind: 'action', id: step.id, step, number: ++number, depth, pieces: rowPieces(step), ...place(heights.action) });
      } else {
        rows.push({ kind: 'other', id: step.id, step, depth, ...place(heights.plain) });
        if ('steps' in step) addSteps(step.steps, depth + 1);
      }
  }
}

/** Where a string ends, in px from the top. */
export const endOf = (drawnString: DrawnString): number =>
  Math.max(drawnString.originY, ...drawnString.againY, ...drawnString.uses.map((use) => use.y));

/** Gives each string the innermost lane that is free along its whole length; long ones go outside where lanes run out. */
export function layStrings(script: Script, rows: readonly SpineRow[]): DrawnString[] {
  const middle = new Map(rows.map((row) => [row.id, row.top + row.height / 2]));
  // One pass over the steps for all handoffs: scripts of thousands of steps have hundreds of them.
  const usesOf = new Map<string, DrawnString['uses']>();
  for (const row of rows) {
    if (row.kind !== 'action') continue;
    for (const { handoff } of row.pieces)
      if (handoff !== null) {
        const uses = usesOf.get(handoff) ?? [];
        uses.push({ step: row.id, y: middle.get(row.id) ?? 0 });
        usesOf.set(handoff, uses);
      }
  }
  const strings = script.handoffs.map((handoff, index) => {
    const uses = usesOf.get(handoff.id) ?? [];
    const againY = (handoff.also ?? []).flatMap(({ step }) => middle.get(step) ?? []);
    return { handoff, hue: index % 8, lane: 0, originY: middle.get(handoff.origin) ?? 0, againY, uses };
  });
  const taken: { from: number; to: number }[][] = Array.from({ length: laneCount }, () => []);
  for (const string of [...strings].sort((left, right) => endOf(left) - left.originY - (endOf(right) - right.originY))) {
    const span = { from: string.originY, to: endOf(string) };
    const free = taken.findIndex((lane) => lane.every((laneSpan) => laneSpan.to < span.from || laneSpan.from > span.to));
    string.lane = free >= 0 ? free : laneCount - 1;
    taken[string.lane]?.push(span);
  }
  return strings;
}

/** True where a handoff is read from the answer of a step. */
export const isReadAt = (handoff: Handoff, step: string): boolean => readPlaces(handoff).some((place) => place.step === step);

/** True where a step sends what a handoff reads. */
export function usesHandoff(step: ActionStep, handoff: string): boolean {
  for (const piece of movingPieces(pieces(step))) if (piece.kind === 'handoff' && piece.handoff === handoff) return true;
  return false;
}
