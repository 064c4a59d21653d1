import { ChangeDetectionStrategy, Component, computed, input, output } from '@angular/core';
import {
  actionKinds,
  comparisonText,
  ComparisonSchema,
  hasRightSide,
  type Check,
  type Checked,
  type CheckKindName,
  type Comparison,
  type ExtractorKindName,
  type Script,
} from '@sturdy/core';
import { ExtractorForm } from '../../handoff/extractor-form';
import { NumberField } from '../../shared/number-field';
import { checkForms } from './check-forms';
import { TemplateField } from './template-field';

/** A check to start with. */
export const newCheck = (id: string): Check => ({ id, checked: checkForms.text.blank, onFailure: 'mark' });

/** What a failed check does, in words. */
export const failureWords: Record<Check['onFailure'], string> = {
  mark: 'count it as failed',
  'next-iteration': 'leave this iteration',
  'stop-user': 'stop this user',
};

/** A check as a form; tells every change at once, so that it can be tried while it is written. */
@Component({
  selector: 'app-check-form',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [ExtractorForm, NumberField, TemplateField],
  template: `<label class="field"
      >Look at
      <select #kind (change)="setKind(kind.value)">
        @for (offeredKind of offered(); track offeredKind.id) {
          <option [value]="offeredKind.id" [selected]="offeredKind.id === checked().kind">{{ offeredKind.name }}</option>
        }
      </select></label
    >
    @switch (checked().kind) {
      @case ('text') {
        @if (asText(checked()); as textCheck) {
          <app-template-field
            label="Text"
            hint="Booked"
            [script]="script()"
            [value]="textCheck.text"
            (changed)="set({ kind: 'text', text: $event, present: textCheck.present })"
          />
          <label class="field"
            >It must
            <select #present (change)="set({ kind: 'text', text: textCheck.text, present: present.value === 'yes' })">
              <option value="yes" [selected]="textCheck.present">stand there</option>
              <option value="no" [selected]="!textCheck.present">not stand there</option>
            </select></label
          >
        }
      }
      @case ('value') {
        @if (asValue(checked()); as valueCheck) {
          <app-extractor-form
            [offered]="extractors()"
            [value]="valueCheck.extractor"
            (changed)="set({ kind: 'value', extractor: $event, is: valueCheck.is, than: valueCheck.than })"
          />
          <label class="field"
            >The value
            <select #is (change)="setIs(is.value)">
              @for (comparison of comparisons; track comparison) {
                <option [value]="comparison" [selected]="comparison === valueCheck.is">{{ words(comparison) }}</option>
              }
            </select></label
          >
          @if (hasRight(valueCheck.is)) {
            <app-template-field
              label="this"
              [script]="script()"
              [value]="valueCheck.than"
              (changed)="set({ kind: 'value', extractor: valueCheck.extractor, is: valueCheck.is, than: $event })"
            />
          }
        }
      }
      @case ('count') {
        @if (asCount(checked()); as countCheck) {
          <app-extractor-form
            [offered]="extractors()"
            [value]="countCheck.extractor"
            (changed)="set({ kind: 'count', extractor: $event, atLeast: countCheck.atLeast, atMost: countCheck.atMost })"
          />
          <div class="fields">
            <app-number-field
              label="At least"
              [value]="countCheck.atLeast"
              [step]="1"
              (changed)="set(with(countCheck, { atLeast: $event }))"
            />
            <label class="field narrow"
              >At most
              <input
                type="number"
                min="0"
                [value]="countCheck.atMost ?? ''"
                placeholder="any"
                #most
                (change)="set(with(countCheck, { atMost: limit(most.value) }))"
            /></label>
          </div>
        }
      }
      @case ('status') {
        @if (asStatus(checked()); as statusCheck) {
          <label class="field"
            >One of these, with commas
            <input class="mono" [value]="statusCheck.statuses.join(', ')" #statuses (change)="setStatuses(statuses.value)"
          /></label>
        }
      }
      @case ('redirect') {
        @if (asRedirect(checked()); as redirectCheck) {
          <app-template-field
            label="This stands in the address it leads to"
            hint="/intakes/"
            [script]="script()"
            [value]="redirectCheck.to"
            (changed)="set({ kind: 'redirect', to: $event })"
          />
        }
      }
      @case ('size') {
        @if (asSize(checked()); as sizeCheck) {
          <div class="fields">
            <app-number-field
              label="Bytes, at least"
              [value]="sizeCheck.atLeast"
              [step]="1"
              (changed)="set({ kind: 'size', atLeast: $event, atMost: sizeCheck.atMost })"
            />
            <label class="field narrow"
              >at most
              <input
                type="number"
                min="0"
                [value]="sizeCheck.atMost ?? ''"
                placeholder="any"
                #bytes
                (change)="set({ kind: 'size', atLeast: sizeCheck.atLeast, atMost: limit(bytes.value) })"
            /></label>
          </div>
        }
      }
      @case ('time') {
        @if (asTime(checked()); as timeCheck) {
          <app-number-field
            label="ms, at most"
            [value]="timeCheck.atMostMs"
            [min]="1"
            (changed)="set({ kind: 'time', atMostMs: $event })"
          />
        }
      }
    }
    @if (!ofMessage()) {
      <label class="field"
        >Where it fails
        <select #does (change)="setFailure(does.value)">
          @for (failure of failures; track failure.id) {
            <option [value]="failure.id" [selected]="failure.id === value().onFailure">{{ failure.name }}</option>
          }
        </select></label
      >
    }`,
  styles: `
    :host {
      display: grid;
      gap: 8px;
    }
    .narrow {
      width: 92px;
    }
  `,
})
export class CheckForm {
  readonly script = input.required<Script>();
  readonly value = input.required<Check>();
  /** What can be looked at in the answer, and how values can be read from it. */
  readonly looksAt = input<readonly CheckKindName[]>(actionKinds.request.checks);
  readonly extractors = input<readonly ExtractorKindName[]>(actionKinds.request.extractors);
  /** True where it says which message is waited for: then nothing fails by it. */
  readonly ofMessage = input(false);
  readonly changed = output<Check>();
  readonly offered = computed(() => this.looksAt().map((id) => ({ id, name: checkForms[id].name })));
  readonly comparisons = ComparisonSchema.options;
  readonly words = comparisonText;
  readonly hasRight = hasRightSide;
  readonly failures = Object.entries(failureWords).map(([id, name]) => ({ id, name }));
  readonly checked = () => this.value().checked;
  readonly asText = (checked: Checked) => (checked.kind === 'text' ? checked : null);
  readonly asValue = (checked: Checked) => (checked.kind === 'value' ? checked : null);
  readonly asCount = (checked: Checked) => (checked.kind === 'count' ? checked : null);
  readonly asStatus = (checked: Checked) => (checked.kind === 'status' ? checked : null);
  readonly asRedirect = (checked: Checked) => (checked.kind === 'redirect' ? checked : null);
  readonly asSize = (checked: Checked) => (checked.kind === 'size' ? checked : null);
  readonly asTime = (checked: Checked) => (checked.kind === 'time' ? checked : null);

  set(checked: Checked): void {
    this.changed.emit({ ...this.value(), checked });
  }
  with<T extends Checked>(checked: T, members: Partial<T>): Checked {
    return { ...checked, ...members };
  }
  limit(text: string): number | null {
    const value = Number(text);
    return text === '' || !Number.isInteger(value) || value < 0 ? null : value;
  }
  setKind(kind: string): void {
    this.set(checkForms[kind as CheckKindName].blank);
  }
  setIs(text: string): void {
    const valueCheck = this.asValue(this.checked());
    const is = text as Comparison;
    if (valueCheck) this.set({ ...valueCheck, is, ...(hasRightSide(is) ? {} : { than: [] }) });
  }
  setStatuses(text: string): void {
    const statuses = text
      .split(/[^\d]+/)
      .map(Number)
      .filter((status) => status >= 100 && status <= 599);
    if (statuses.length > 0) this.set({ kind: 'status', statuses });
  }
  setFailure(text: string): void {
    this.changed.emit({ ...this.value(), onFailure: text as Check['onFailure'] });
  }
}
