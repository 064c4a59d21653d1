import { ChangeDetectionStrategy, Component, input, output } from '@angular/core';

/** A number with its label and unit; tells the new value once the field is left. */
@Component({
  selector: 'app-number-field',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `<label class="field"
    >{{ label()
    }}<input
      type="number"
      [min]="min()"
      [max]="max()"
      [step]="step()"
      [value]="value()"
      [placeholder]="placeholder()"
      [title]="hint()"
      #field
      (change)="tell(field)"
  /></label>`,
  styles: `
    :host {
      display: block;
      width: 92px;
    }

    input {
      width: 100%;
    }
  `,
})
export class NumberField {
  readonly label = input.required<string>();
  readonly value = input<number | null>(null);
  readonly min = input(0);
  readonly max = input<number | null>(null);
  readonly step = input<number | 'any'>('any');
  readonly hint = input('');
  readonly placeholder = input('');
  readonly changed = output<number>();

  tell(field: HTMLInputElement): void {
    const value = Number(field.value);
    // What is no number in the range is put back, so that the field never shows what does not hold.
    if (field.value !== '' && field.checkValidity()) this.changed.emit(value);
    else field.value = this.value() === null ? '' : String(this.value());
  }
}
