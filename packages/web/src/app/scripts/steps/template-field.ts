import { ChangeDetectionStrategy, Component, computed, ElementRef, inject, input, output, signal, viewChild } from '@angular/core';
import { NgbDropdownModule } from '@ng-bootstrap/ng-bootstrap/dropdown';
import { Store } from '@ngrx/store';
import { allSteps, type Script, type Template } from '@sturdy/core';
import { dataFeature } from '../../state/data.feature';
import { nameable, namesFor, readTemplate, templateText } from './template-names';

/** A text in which values of the script may stand, written as ~{name}; a menu puts them in. */
@Component({
  selector: 'app-template-field',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [NgbDropdownModule],
  template: `<div class="line">
      <label class="field"
        >{{ label() }}
        <input class="mono" [value]="text()" [placeholder]="hint()" spellcheck="false" #field (input)="typed(field.value)" />
      </label>
      <span ngbDropdown placement="bottom-end" class="d-inline-block" container="body">
        <button type="button" class="act put" ngbDropdownToggle [attr.aria-label]="'Put a value of the script into: ' + label()">
          <i class="bi bi-link-45deg" aria-hidden="true"></i>
        </button>
        <span ngbDropdownMenu class="menu">
          @for (name of names(); track name) {
            <button ngbDropdownItem (click)="put(name)">{{ name }}</button>
          } @empty {
            <span class="px-3 muted small">This script has no handoffs, data or variables yet.</span>
          }
        </span>
      </span>
    </div>
    @if (problem(); as sentence) {
      <p class="bad small" role="alert">{{ sentence }}</p>
    }`,
  styles: `
    :host {
      display: block;
    }
    .line {
      display: flex;
      gap: 5px;
      align-items: end;
    }
    .field {
      flex: 1;
    }
    .put {
      height: 32px;
    }
    .menu {
      max-height: 260px;
      overflow: auto;
    }
    .bad {
      color: var(--red);
      margin: 3px 0 0;
    }
  `,
})
export class TemplateField {
  readonly label = input.required<string>();
  readonly hint = input('');
  readonly script = input.required<Script>();
  readonly value = input.required<Template>();
  readonly changed = output<Template>();
  readonly #tables = inject(Store).selectSignal(dataFeature.selectTables);
  readonly field = viewChild.required<ElementRef<HTMLInputElement>>('field');
  readonly problem = signal<string | null>(null);
  readonly #names = computed(() => namesFor(this.script(), this.#tables()));
  readonly #variables = computed(() => [
    ...new Set(
      this.script()
        .transactions.flatMap((transaction) => allSteps(transaction.steps))
        .flatMap((step) =>
          step.kind === 'variable' ? [step.name] : step.kind === 'repeat' && step.loop?.kind === 'each-match' ? [step.loop.variable] : [],
        ),
    ),
  ]);
  readonly names = computed(() => nameable(this.script(), this.#tables(), this.#variables()));
  readonly text = computed(() => templateText(this.value(), this.#names()));

  typed(text: string): void {
    const read = readTemplate(text, this.#names());
    this.problem.set('problem' in read ? read.problem : null);
    if ('template' in read) this.changed.emit(read.template);
  }

  /** Puts a value where the cursor stands. */
  put(name: string): void {
    const field = this.field().nativeElement;
    const at = field.selectionStart ?? field.value.length;
    field.value = `${field.value.slice(0, at)}~{${name}}${field.value.slice(field.selectionEnd ?? at)}`;
    this.typed(field.value);
    field.focus();
  }
}
