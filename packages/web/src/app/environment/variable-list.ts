import { ChangeDetectionStrategy, Component, computed, input, output } from '@angular/core';
import { isKept, keptSecret } from '@sturdy/core';

/** A variable of an environment as it is edited. */
export interface EditedVariable {
  name: string;
  value: string;
  isSecret: boolean;
}

/** The variables of an environment; the values of secret ones are written and never shown. */
@Component({
  selector: 'app-variable-list',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    @for (entry of variables(); track $index) {
      <div class="line">
        <div class="field">
          <input
            class="mono"
            aria-label="Name of the variable"
            placeholder="name"
            [value]="entry.name"
            (input)="set($index, { name: text($event) })"
          />
        </div>
        <div class="field">
          <input
            class="mono"
            [attr.aria-label]="'Value of ' + (entry.name || 'the variable')"
            [type]="entry.isSecret ? 'password' : 'text'"
            autocomplete="off"
            [value]="shown()[$index]"
            [placeholder]="entry.isSecret && shown()[$index] === '' ? 'kept, not shown' : 'value'"
            (input)="write($index, text($event))"
          />
        </div>
        <label class="secret"><input type="checkbox" [checked]="entry.isSecret" (change)="mark($index, checked($event))" /> secret</label>
        <button type="button" class="act slim" [attr.aria-label]="'Remove ' + (entry.name || 'the variable')" (click)="remove($index)">
          <i class="bi bi-x" aria-hidden="true"></i>
        </button>
      </div>
    }
    <button type="button" class="act slim" (click)="add()"><i class="bi bi-plus" aria-hidden="true"></i>Add a variable</button>
  `,
  styles: `
    .line {
      display: grid;
      grid-template-columns: 1fr 1.6fr max-content max-content;
      gap: 8px;
      align-items: center;
      margin-bottom: 6px;
    }
    .secret {
      display: flex;
      gap: 5px;
      align-items: center;
    }
  `,
})
export class VariableList {
  readonly variables = input.required<readonly EditedVariable[]>();
  readonly changed = output<EditedVariable[]>();
  /** What stands in the fields: nothing of a value that is kept. */
  readonly shown = computed(() => this.variables().map(({ value }) => (isKept(value) ? '' : value)));

  /** Names of secrets that were kept before somebody wrote over them. */
  readonly #kept = new Set<string>();

  text(event: Event): string {
    return (event.target as HTMLInputElement).value;
  }
  checked(event: Event): boolean {
    return (event.target as HTMLInputElement).checked;
  }
  set(at: number, change: Partial<EditedVariable>): void {
    this.changed.emit(this.variables().map((variable, index) => (index === at ? { ...variable, ...change } : variable)));
  }
  /** What is written replaces a secret that is kept; where it is taken back, the secret stays. */
  write(at: number, value: string): void {
    const { name = '', value: before = '', isSecret = false } = this.variables()[at] ?? {};
    if (isKept(before)) this.#kept.add(name);
    this.set(at, { value: value === '' && isSecret && this.#kept.has(name) ? keptSecret : value });
  }
  /** A secret that is to be shown from now on has to be written anew. */
  mark(at: number, isSecret: boolean): void {
    const kept = isKept(this.variables()[at]?.value ?? '');
    this.set(at, { isSecret, ...(kept && !isSecret ? { value: '' } : {}) });
  }
  remove(at: number): void {
    this.changed.emit(this.variables().filter((_, index) => index !== at));
  }
  add(): void {
    this.changed.emit([...this.variables(), { name: '', value: '', isSecret: false }]);
  }
}
