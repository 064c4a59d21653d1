import { actionKindOf } from '../actions/action-kinds.js';
import { sentLeaves } from '../actions/sent-parts.js';
import { isLeaf, type SentNode } from '../actions/sent-values.js';
import type { Judge } from '../correlate/decide/judge.js';
import { stepsOfTake, visitStill } from '../correlate/find/candidates.js';
import { readsAsTyped } from '../correlate/find/person-inputs.js';
import type { ValueIndex } from '../correlate/find/value-index.js';
import type { SecondTake } from '../correlate/pair/second-take.js';
import { recordedSteps, type Script } from '../script/script.schema.js';
import type { LoadedTake } from '../take/take.schema.js';
import { movingPieces } from '../values/template.js';

/** What a person typed in the steps of a script. */
export class TypedValues {
  constructor(
    readonly script: Script,
    readonly loaded: LoadedTake,
    readonly index: ValueIndex,
    readonly twin: SecondTake | null,
    readonly judge: Judge,
  ) {}

  /** True for a step that may change something. */
  isAct(step: string): boolean {
    return recordedSteps(this.script).some(
      (numberedStep) => numberedStep.step.id === step && actionKindOf(numberedStep.step).mayChange(numberedStep.step),
    );
  }

  /** What a person typed in a step: no password, and nothing that an answer had given. */
  inStep(stepId: string): SentNode[] {
    const stepOfTake = stepsOfTake(this.script, this.loaded).find((candidate) => candidate.step.id === stepId);
    if (!stepOfTake) return [];
    // A form with one password is a sign-in; one that repeats it makes an account.
    if (sentLeaves(stepOfTake.step).filter((node) => /pass/i.test(node.name) && node.value !== '').length === 1) return [];
    const found: SentNode[] = [];
    visitStill(stepOfTake.step, (node) => {
      if (!isLeaf(node) || node.isName || node.value.length < 3 || /pass/i.test(node.name) || /^(path|header|cookie):/.test(node.place))
        return false;
      const otherValue = this.twin?.valueAt(stepOfTake.exchange.n, node.place);
      const input = this.judge.inputOf(node, stepOfTake, otherValue);
      const isTyped = input
        ? input.kind === 'typed'
        : otherValue !== node.value &&
          (readsAsTyped(node.value) || /^[A-Z]{2,}\d+$|^\d{4,}$/.test(node.value)) &&
          this.index.occurrences(node.value, stepOfTake.exchange).length === 0 &&
          !this.judge.isClock(node.value, stepOfTake);
      if (isTyped) found.push(node);
      return false;
    });
    return found;
  }

  /** What a person typed in an earlier step and a page carried on to this one, as the pages of a wizard do. */
  before(stepId: string): SentNode[] {
    const found = recordedSteps(this.script).find(({ step }) => step.id === stepId);
    if (!found) return [];
    const carried = new Set(
      sentLeaves(found.step).flatMap((node) =>
        [...movingPieces(node.template)].some((piece) => piece.kind === 'handoff') ? [node.value] : [],
      ),
    );
    if (carried.size === 0) return [];
    return recordedSteps(this.script)
      .filter(({ number, step }) => number < found.number && this.isAct(step.id))
      .flatMap(({ step }) => this.inStep(step.id).filter((node) => carried.has(node.value)));
  }
}
