import { isAction } from '../actions/action-kinds.js';
import type { ActionStep } from '../actions/action-step.schema.js';
import { allSteps, changeSteps, type Step } from '../script/step.schema.js';
import type { Expectation } from '../actions/http/request.schema.js';
import type { Check } from '../check/check.schema.js';
import type { Extractor } from '../extractors/extractor.schema.js';
import { readFrom, readPlaces, type Handoff, type GeneratedValue, type Script, type Transaction } from '../script/script.schema.js';
import type { Template } from '../values/template.schema.js';
import { adopted, freshId, idsOf, insertAfter, mapLists, outermost, wrapped, type Container } from './arrange.js';
import { bindValue, type ValuePlace } from './bind-value.js';
import { leavePart } from './part.js';
import { changeTemplates } from '../script/step-templates.js';
import { mapPieces } from '../values/template.js';
import { usePlaces } from './use-places.js';
import type { MessageExpectation } from '../actions/message/message.schema.js';

/** One change that a tester makes to a script. */
export type ScriptEdit =
  | { kind: 'rename'; id: string; name: string }
  | { kind: 'delete'; id: string }
  | { kind: 'delete-all'; ids: readonly string[] }
  /** Puts steps behind a step, or at the start of a transaction; ids that are taken are given anew, pieces that are unknown here become text. */
  | { kind: 'insert'; after: string; steps: readonly Step[] }
  | { kind: 'insert-transaction'; after: string | null; name: string }
  /** Moves steps behind a step, or to the start of a transaction, in the order in which they stand. */
  | { kind: 'move-to'; ids: readonly string[]; after: string }
  /** Puts neighbouring steps into a container. */
  | { kind: 'wrap'; ids: readonly string[]; container: Container }
  /** Takes a container away and leaves what it holds. */
  | { kind: 'unwrap'; id: string }
  /** Replaces a step; what a container holds stays. */
  | { kind: 'set-step'; step: Step }
  /** Puts a template in the place of a recorded value; `made` are client-made values that it speaks of and that are new. */
  | {
      kind: 'bind';
      value: string;
      places: readonly Pick<ValuePlace, 'step' | 'place' | 'part'>[];
      template: Template;
      made: readonly GeneratedValue[];
    }
  /** Sets all transactions, such as those in which a text was replaced. */
  | { kind: 'set-transactions'; transactions: readonly Transaction[] }
  /** Lets a transaction be no part any more. */
  | { kind: 'leave-part'; id: string }
  | { kind: 'set-phase'; id: string; phase: Transaction['phase'] }
  | { kind: 'set-checks'; id: string; checks: readonly Check[] }
  | { kind: 'add-checks'; checks: readonly { step: string; check: Check }[] }
  | { kind: 'move'; id: string; by: -1 | 1 }
  | { kind: 'set-pause'; id: string; ms: number }
  | { kind: 'set-repeat'; id: string; times: number; pauseMs: number }
  | { kind: 'drop-handoff'; handoff: string }
  /** Sends in one step what was recorded in the place of a moving piece; everywhere where `step` is null. */
  | { kind: 'put-back'; step: string | null; piece: PieceName }
  | { kind: 'rename-handoff'; handoff: string; name: string }
  /** Changes what a good answer of a step looks like. */
  | { kind: 'set-expect'; id: string; expect: Expectation | MessageExpectation }
  /** Reads a handoff in another way. */
  | { kind: 'set-extractor'; handoff: string; extractor: Extractor };

/** Names what a moving piece stands for, whatever was recorded in its place. */
export type PieceName =
  | { kind: 'handoff'; handoff: string }
  | { kind: 'made'; made: string }
  | { kind: 'data'; table: string; column: string }
  | { kind: 'variable'; name: string };

/** Applies an edit and gives a new script; the old one stays as it was, so that undo is keeping it. */
export function editScript(script: Script, edit: ScriptEdit): Script {
  switch (edit.kind) {
    case 'rename':
      if (edit.id === script.id) return { ...script, name: edit.name };
      return mapSteps(
        script,
        (step) => (step.id === edit.id && (isAction(step) || step.kind === 'repeat') ? { ...step, name: edit.name } : step),
        (transaction) => (transaction.id === edit.id ? { ...transaction, name: edit.name } : transaction),
      );
    case 'delete':
      return dropOrphans({
        ...script,
        transactions: script.transactions
          .filter((transaction) => transaction.id !== edit.id)
          .map((transaction) => ({ ...transaction, steps: changeSteps(transaction.steps, (step) => (step.id === edit.id ? null : step)) })),
      });
    case 'delete-all':
      return edit.ids.reduce((now, id) => editScript(now, { kind: 'delete', id }), script);
    case 'insert':
      return insertAfter(script, edit.after, adopted(script, edit.steps));
    case 'insert-transaction': {
      const made: Transaction = { kind: 'transaction', id: freshId(idsOf(script), 't'), name: edit.name, steps: [] };
      const at = edit.after === null ? -1 : script.transactions.findIndex((transaction) => transaction.id === edit.after);
      return { ...script, transactions: script.transactions.toSpliced(at + 1, 0, made) };
    }
    case 'move-to': {
      const wanted = new Set(edit.ids);
      // Nothing can be moved into itself.
      const moved = outermost(script, wanted);
      if (moved.length === 0 || allSteps(moved).some((step) => step.id === edit.after)) return script;
      const without = mapLists(script, (steps) => steps.filter((step) => !wanted.has(step.id)));
      // A container that is emptied goes only now: it may be what the steps go behind.
      return mapSteps(insertAfter(without, edit.after, moved), (step) => step);
    }
    case 'wrap':
      return mapLists(script, (steps) => wrapped(steps, new Set(edit.ids), edit.container));
    case 'unwrap':
      return mapLists(script, (steps) => steps.flatMap((step) => (step.id === edit.id && 'steps' in step ? step.steps : [step])));
    case 'set-step':
      return mapSteps(script, (step) =>
        step.id !== edit.step.id
          ? step
          : 'steps' in edit.step && 'steps' in step
            ? ({ ...edit.step, steps: step.steps } as Step)
            : edit.step,
      );
    case 'bind':
      return bindValue({ ...script, made: [...script.made, ...edit.made] }, edit.value, edit.places, edit.template);
    case 'set-transactions':
      return { ...script, transactions: [...edit.transactions] };
    case 'leave-part':
      return leavePart(script, edit.id);
    case 'set-phase':
      return {
        ...script,
        transactions: script.transactions.map(({ phase, ...transaction }) =>
          transaction.id === edit.id
            ? { ...transaction, ...(edit.phase && { phase: edit.phase }) }
            : { ...transaction, ...(phase && { phase }) },
        ),
      };
    case 'set-checks':
      return mapSteps(script, (step) => (step.id === edit.id && isAction(step) ? withChecks(step, edit.checks) : step));
    case 'add-checks':
      return mapSteps(script, (step) => {
        const checks = edit.checks.filter((check) => check.step === step.id).map((check) => check.check);
        return checks.length > 0 && isAction(step) ? withChecks(step, [...(step.checks ?? []), ...checks]) : step;
      });
    case 'move':
      return move(script, edit.id, edit.by);
    case 'set-pause':
      return mapSteps(script, (step) => (step.id === edit.id && step.kind === 'pause' ? { ...step, ms: edit.ms } : step));
    case 'set-repeat':
      return mapSteps(script, (step) =>
        step.id === edit.id && step.kind === 'repeat' ? { ...step, times: edit.times, pauseMs: edit.pauseMs } : step,
      );
    case 'drop-handoff':
      return withoutHandoff(script, edit.handoff);
    case 'put-back':
      return putBack(script, edit.step, edit.piece);
    case 'rename-handoff':
      return {
        ...script,
        handoffs: script.handoffs.map((handoff) => (handoff.id === edit.handoff ? { ...handoff, name: edit.name } : handoff)),
      };
    case 'set-expect':
      return mapSteps(script, (step) => (step.id === edit.id ? expecting(step, edit.expect) : step));
    case 'set-extractor':
      return {
        ...script,
        handoffs: script.handoffs.map((handoff) =>
          handoff.id === edit.handoff
            ? { ...handoff, extractor: edit.extractor, reason: `${untilChosen(handoff.reason)}${chosen}` }
            : handoff,
        ),
      };
  }
}

const chosen = ' How it is read was chosen by hand.';
const untilChosen = (reason: string): string => reason.replace(chosen, '');

function withChecks<Action extends ActionStep>(step: Action, checks: readonly Check[]): Action {
  const rest = { ...step };
  delete rest.checks;
  if (checks.length === 0) return rest;
  const taken = new Set<string>();
  return { ...rest, checks: checks.map((check) => ({ ...check, id: freshId(taken, 'check', check.id) })) };
}

function mapSteps(
  script: Script,
  change: (step: Step) => Step,
  changeTransaction: (transaction: Transaction) => Transaction = (transaction) => transaction,
): Script {
  return {
    ...script,
    transactions: script.transactions.map((transaction) => {
      const changed = changeTransaction(transaction);
      return { ...changed, steps: changeSteps(changed.steps, change) };
    }),
  };
}

function move(script: Script, id: string, by: -1 | 1): Script {
  const transactions = script.transactions.map((transaction) => ({ ...transaction, steps: [...transaction.steps] }));
  const at = transactions.findIndex((transaction) => transaction.id === id);
  if (at >= 0) {
    const [taken] = transactions.splice(at, 1);
    if (taken) transactions.splice(Math.max(0, at + by), 0, taken);
    return { ...script, transactions };
  }
  for (const [index, transaction] of transactions.entries()) {
    const from = transaction.steps.findIndex((step) => step.id === id);
    if (from < 0) continue;
    const [taken] = transaction.steps.splice(from, 1);
    if (!taken) break;
    const to = from + by;
    // A step that is moved past the edge of its transaction goes into the next one.
    if (to < 0 && index > 0) transactions[index - 1]?.steps.push(taken);
    else if (to > transaction.steps.length && index + 1 < transactions.length) transactions[index + 1]?.steps.unshift(taken);
    else transaction.steps.splice(Math.max(0, to), 0, taken);
    break;
  }
  return { ...script, transactions };
}

/** The script with a handoff's uses sent as they were recorded, and without the handoff. */
export function withoutHandoff(script: Script, handoff: string): Script {
  const plain = putBack(script, null, { kind: 'handoff', handoff });
  return { ...plain, handoffs: plain.handoffs.filter((candidate) => candidate.id !== handoff) };
}

/** Puts the recorded value back; a handoff or client-made value that nothing sends any more is forgotten. */
function putBack(script: Script, step: string | null, name: PieceName): Script {
  const wanted = Object.entries(name);
  const still = (template: Template): Template =>
    mapPieces(template, (piece) =>
      piece.kind !== 'text' && wanted.every(([key, value]) => (piece as unknown as Record<string, unknown>)[key] === value)
        ? { kind: 'text', text: piece.recorded }
        : undefined,
    );
  const plain = mapSteps(script, (ownStep) => (step === null || ownStep.id === step ? changeTemplates(ownStep, still) : ownStep));
  const used = usePlaces(plain);
  return {
    ...plain,
    handoffs: plain.handoffs.filter((handoff) => name.kind !== 'handoff' || handoff.id !== name.handoff || used.has(handoff.id)),
    made: plain.made.filter((made) => name.kind !== 'made' || made.id !== name.made || used.has(made.id)),
  };
}

/**
 * A handoff whose origin was deleted is read where it is read next; where nothing is left to read it from, its uses get the recorded
 * value back.
 */
function dropOrphans(script: Script): Script {
  const ids = new Set(script.transactions.flatMap((transaction) => allSteps(transaction.steps).map((step) => step.id)));
  const left = script.handoffs.map((handoff): Handoff => {
    const [first, ...others] = readPlaces(handoff).filter(({ step }) => ids.has(step));
    return first ? readFrom(handoff, first, others) : handoff;
  });
  return left
    .filter((handoff) => !ids.has(handoff.origin))
    .reduce((now, handoff) => withoutHandoff(now, handoff.id), { ...script, handoffs: left });
}

/** A step that expects something else; one of another kind stays as it is. */
function expecting(step: Step, expect: Expectation | MessageExpectation): Step {
  if (step.kind === 'message')
    return { ...step, expect: { content: expect.content, ...(expect.harmless && { harmless: expect.harmless }) } };
  return step.kind === 'request' && 'statuses' in expect ? { ...step, expect } : step;
}
