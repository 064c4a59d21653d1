import { ChangeDetectionStrategy, Component, input, output } from '@angular/core';
import { comparisonText, ComparisonSchema, hasRightSide, type Comparison, type Condition, type Script } from '@sturdy/core';
import { TemplateField } from './template-field';

/** A condition as three fields: what, how it is compared, with what. */
@Component({
  selector: 'app-condition-fields',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [TemplateField],
  template: `<app-template-field
      label="This text"
      hint="~{variable:state}"
      [script]="script()"
      [value]="value().left"
      (changed)="changed.emit({ left: $event, is: value().is, right: value().right })"
    />
    <label class="field"
      >How
      <select #is (change)="setIs(is.value)">
        @for (comparison of comparisons; track comparison) {
          <option [value]="comparison" [selected]="comparison === value().is">{{ words(comparison) }}</option>
        }
      </select></label
    >
    @if (hasRight(value().is)) {
      <app-template-field
        label="that text"
        [script]="script()"
        [value]="value().right"
        (changed)="changed.emit({ left: value().left, is: value().is, right: $event })"
      />
    }`,
  styles: `
    :host {
      display: grid;
      gap: 8px;
    }
  `,
})
export class ConditionFields {
  readonly script = input.required<Script>();
  readonly value = input.required<Condition>();
  readonly changed = output<Condition>();
  readonly comparisons = ComparisonSchema.options;
  readonly words = comparisonText;
  readonly hasRight = hasRightSide;

  setIs(text: string): void {
    const is = text as Comparison;
    this.changed.emit({ ...this.value(), is, ...(hasRightSide(is) ? {} : { right: [] }) });
  }
}
