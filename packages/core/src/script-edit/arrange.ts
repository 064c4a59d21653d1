import { allSteps, type RepeatStep, type SideBySideStep, type Step, type WhenStep } from '../script/step.schema.js';
import type { Script } from '../script/script.schema.js';
import { changeTemplates } from '../script/step-templates.js';
import { mapPieces } from '../values/template.js';

/** A container without what it holds. */
export type Container = Omit<RepeatStep, 'steps'> | Omit<WhenStep, 'steps'> | Omit<SideBySideStep, 'steps'>;

/** Ids of all transactions and steps. */
export const idsOf = (script: Script): Set<string> =>
  new Set(script.transactions.flatMap((transaction) => [transaction.id, ...allSteps(transaction.steps).map((step) => step.id)]));

/** The wanted id, or one with a number where it is taken; taken from then on. */
export function freshId(taken: Set<string>, letter: string, wanted?: string): string {
  let id = wanted ?? `${letter}-1`;
  for (let count = 2; taken.has(id); count++) id = `${letter}-${count}`;
  taken.add(id);
  return id;
}

/** Steps as they may stand in this script: with ids of their own, and without pieces of handoffs and made values that are not here. */
export function adopted(script: Script, steps: readonly Step[]): Step[] {
  const taken = idsOf(script);
  const known = new Set([...script.handoffs, ...script.made].map((named) => named.id));
  return steps.map(function adopt(step): Step {
    const copy = changeTemplates({ ...step, id: freshId(taken, step.id, step.id) }, (template) =>
      mapPieces(template, (piece) =>
        (piece.kind === 'handoff' && !known.has(piece.handoff)) || (piece.kind === 'made' && !known.has(piece.made))
          ? { kind: 'text', text: piece.recorded }
          : undefined,
      ),
    );
    return 'steps' in copy ? ({ ...copy, steps: copy.steps.map(adopt) } as Step) : copy;
  });
}

/** A script with each list of steps changed, inner ones first. */
export function mapLists(script: Script, change: (steps: Step[]) => Step[]): Script {
  const inside = (steps: readonly Step[]): Step[] =>
    change(steps.map((step) => ('steps' in step ? ({ ...step, steps: inside(step.steps) } as Step) : step)));
  return { ...script, transactions: script.transactions.map((transaction) => ({ ...transaction, steps: inside(transaction.steps) })) };
}

/** Puts steps behind a step, or at the start of a transaction. */
export function insertAfter(script: Script, after: string, steps: readonly Step[]): Script {
  if (script.transactions.some((transaction) => transaction.id === after))
    return {
      ...script,
      transactions: script.transactions.map((transaction) =>
        transaction.id === after ? { ...transaction, steps: [...steps, ...transaction.steps] } : transaction,
      ),
    };
  // Only requests run at the same time; a step of another kind goes behind all of them.
  const beside = script.transactions
    .flatMap((transaction) => allSteps(transaction.steps))
    .find((step) => step.kind === 'side-by-side' && step.steps.some((inner) => inner.id === after));
  const behind = beside && steps.some((step) => step.kind !== 'request') ? beside.id : after;
  return mapLists(script, (ownSteps) => {
    const at = ownSteps.findIndex((step) => step.id === behind);
    return at < 0 ? ownSteps : ownSteps.toSpliced(at + 1, 0, ...steps);
  });
}

/** The wanted steps in the order of the script; those within another wanted one go with it. */
export function outermost(script: Script, wanted: ReadonlySet<string>): Step[] {
  const find = (steps: readonly Step[]): Step[] =>
    steps.flatMap((step) => (wanted.has(step.id) ? [step] : 'steps' in step ? find(step.steps) : []));
  return script.transactions.flatMap((transaction) => find(transaction.steps));
}

/** The wanted steps of one list, from the first to the last of them, in a container. */
export function wrapped(steps: Step[], wanted: ReadonlySet<string>, container: Container): Step[] {
  const at = steps.flatMap((step, index) => (wanted.has(step.id) ? [index] : []));
  const [first] = at;
  const last = at.at(-1);
  if (first === undefined || last === undefined) return steps;
  const inner = steps.slice(first, last + 1);
  if (container.kind === 'side-by-side' && inner.some((step) => step.kind !== 'request')) return steps;
  return [...steps.slice(0, first), { ...container, steps: inner } as Step, ...steps.slice(last + 1)];
}
