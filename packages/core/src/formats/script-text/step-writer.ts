import type { Check, Checked, Condition } from '../../check/check.schema.js';
import { movingPieces } from '../../values/template.js';
import type { Template } from '../../values/template.schema.js';
import type { CheckText, ConditionText } from './check-text.schema.js';
import { writeChecked } from './check-texts.js';
import { labelOf, templateToText, type PieceNames } from './template-text.js';

/** Writes the templates of one step, and gathers what was recorded in their pieces where the script does not say it already. */
export class StepWriter {
  readonly #recorded: Record<string, string> = {};

  constructor(
    readonly names: PieceNames,
    readonly firstRecorded: ReadonlyMap<string, string>,
    /** Where steps go to that do not say it. */
    readonly usualOrigin: string | undefined,
  ) {}

  /** The origin of a step, where it is not that of the script. */
  origin(origin: string): { origin?: string } {
    return origin === this.usualOrigin ? {} : { origin };
  }

  text(template: Template): string {
    for (const piece of movingPieces(template)) {
      const label = labelOf(piece, this.names);
      // A handoff that is written in another form is recorded in that form.
      if (this.firstRecorded.get(label) !== piece.recorded) this.#recorded[label] = piece.recorded;
    }
    return templateToText(template, this.names);
  }

  condition({ left, is, right }: Condition): ConditionText {
    return { left: this.text(left), is, ...(right.length === 0 ? {} : { right: this.text(right) }) };
  }

  check({ id, checked, onFailure }: Check): CheckText {
    return { ...this.checked(checked), id, ...(onFailure === 'mark' ? {} : { onFailure }) };
  }

  checked(checked: Checked): CheckText {
    return writeChecked(checked, (template) => this.text(template));
  }

  /** What was recorded in the pieces of what was written until now. */
  recorded(): { recorded?: Record<string, string> } {
    return Object.keys(this.#recorded).length === 0 ? {} : { recorded: this.#recorded };
  }
}
