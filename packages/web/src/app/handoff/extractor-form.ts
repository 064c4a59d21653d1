import { ChangeDetectionStrategy, Component, computed, input, output } from '@angular/core';
import { EncodingSchema, recordedText, type Encoding, type Extractor, type ExtractorKindName } from '@sturdy/core';
import { extractorForms } from './extractor-forms';

const wrappings: { id: Encoding; name: string }[] = [
  { id: 'component', name: 'percent signs' },
  { id: 'json', name: 'JSON string' },
  { id: 'xml', name: 'character references' },
  { id: 'base64', name: 'base64' },
  { id: 'base64url', name: 'base64url' },
  { id: 'hex', name: 'hex' },
];

const pickNames = { first: 'the first', last: 'the last', any: 'any of them', nth: 'by its number' };

/** A way to read a value, as a form; tells every change at once, so that it can be tried while it is written. */
@Component({
  selector: 'app-extractor-form',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `<div class="fields">
    <label class="field wide"
      >Read
      <select #kind (change)="setKind(kind.value)">
        @for (kind of kinds(); track kind.id) {
          <option [value]="kind.id" [selected]="kind.id === value().kind">{{ kind.name }}</option>
        }
      </select></label
    >
    @for (ownText of ownTexts(); track ownText.key) {
      <label class="field wide"
        >{{ ownText.label }}
        <input
          class="mono"
          [value]="textOf(ownText.key)"
          [placeholder]="ownText.hint"
          spellcheck="false"
          #text
          (input)="set(ownText.key, text.value)"
        />
      </label>
    }
    @if (own(); as attribute) {
      <label class="field"
        >where
        <input
          class="mono"
          [value]="attribute.by?.name ?? ''"
          placeholder="name"
          spellcheck="false"
          #by
          (input)="setBy(by.value, is.value)"
        />
      </label>
      <label class="field"
        >is
        <input
          class="mono"
          [value]="attribute.by?.value ?? ''"
          placeholder="form-key"
          spellcheck="false"
          #is
          (input)="setBy(by.value, is.value)"
        />
      </label>
    }
    @if (canPick()) {
      <label class="field"
        >Which match
        <select #which (change)="setWhich(which.value)">
          @for (choice of choices(); track choice.id) {
            <option [value]="choice.id" [selected]="choice.id === picks()">{{ choice.name }}</option>
          }
        </select></label
      >
      @if (picks() === 'nth') {
        <label class="field"
          >Number, from 1
          <input type="number" min="1" [value]="nth() + 1" #n (input)="setNth(+n.value)" />
        </label>
      }
      <label class="field wide"
        >Only where this text stands beside it (same row, list item or object)
        <input [value]="beside()" placeholder="any" #row (input)="setBeside(row.value)" />
      </label>
    }
    <details class="wide" [open]="value().within !== undefined || value().decode !== undefined">
      <summary>Cut it, or take a wrapping off</summary>
      <div class="fields">
        <label class="field"
          >From after <input class="mono" [value]="value().within?.left ?? ''" #l (input)="setWithin(l.value, r.value)"
        /></label>
        <label class="field"
          >up to <input class="mono" [value]="value().within?.right ?? ''" #r (input)="setWithin(l.value, r.value)"
        /></label>
        <label class="field wide"
          >Wrapping to take off
          <select #wrap (change)="setDecode(wrap.value)">
            <option value="" [selected]="!value().decode">none</option>
            @for (wrapping of wrappings; track wrapping.id) {
              <option [value]="wrapping.id" [selected]="value().decode?.[0] === wrapping.id">{{ wrapping.name }}</option>
            }
          </select></label
        >
      </div>
    </details>
  </div>`,
  styles: `
    .fields {
      display: grid;
      grid-template-columns: 1fr 1fr;
      gap: 8px 10px;
    }
    .wide {
      grid-column: 1 / -1;
    }
    input,
    select {
      width: 100%;
    }
    summary {
      color: var(--ink-2);
      font-size: 12.5px;
      margin-bottom: 6px;
    }
  `,
})
export class ExtractorForm {
  readonly value = input.required<Extractor>();
  readonly changed = output<Extractor>();
  /** The ways to read that make sense of the answer; all where nothing is said. */
  readonly offered = input<readonly ExtractorKindName[]>(Object.keys(extractorForms) as ExtractorKindName[]);
  readonly kinds = computed(() => this.offered().map((id) => ({ id, name: extractorForms[id].name })));
  readonly wrappings = wrappings;
  readonly ownTexts = computed(() => extractorForms[this.value().kind].texts);
  readonly own = computed(() => {
    const value = this.value();
    return value.kind === 'attribute' ? value : null;
  });
  readonly canPick = computed(() => extractorForms[this.value().kind].picks.length > 0);
  readonly nth = computed(() => {
    const value = this.value();
    return 'nth' in value ? value.nth : 0;
  });
  /** How the match is picked, as one choice. */
  readonly picks = computed(() => {
    const value = this.value();
    const pick = 'pick' in value ? value.pick : undefined;
    return pick ?? (this.nth() === 0 ? 'first' : 'nth');
  });
  readonly choices = computed(() => {
    const { picks } = extractorForms[this.value().kind];
    return (['first', 'last', 'any', 'nth'] as const).filter((id) => picks.includes(id)).map((id) => ({ id, name: pickNames[id] }));
  });
  readonly beside = computed(() => recordedText(this.value().beside ?? []));

  textOf(key: string): string {
    const text = (this.value() as unknown as Record<string, unknown>)[key];
    return typeof text === 'string' ? text : '';
  }
  set(key: string, text: string): void {
    this.#change({ [key]: text });
  }
  setKind(kind: string): void {
    const { within, decode, beside } = this.value();
    this.changed.emit({
      ...extractorForms[kind as ExtractorKindName].blank,
      ...(within && { within }),
      ...(decode && { decode }),
      ...(beside && { beside }),
    });
  }
  setBy(name: string, value: string): void {
    this.#change({ by: name === '' ? null : { name, value } });
  }
  setWhich(which: string): void {
    if (this.value().kind === 'jsonpath') this.#change({ pick: which });
    else if (which === 'last' || which === 'any') this.#change({ nth: 0, pick: which });
    else this.#change({ nth: which === 'nth' ? Math.max(1, this.nth()) : 0, pick: undefined });
  }
  setNth(number: number): void {
    if (Number.isInteger(number) && number >= 1) this.#change({ nth: number - 1 });
  }
  setBeside(text: string): void {
    this.#change({ beside: text === '' ? undefined : [{ kind: 'text', text }] });
  }
  setWithin(left: string, right: string): void {
    this.#change({ within: left === '' && right === '' ? undefined : { left, right } });
  }
  setDecode(encoding: string): void {
    const known = EncodingSchema.safeParse(encoding);
    this.#change({ decode: known.success ? [known.data] : undefined });
  }
  /** Tells the way with some of its members changed; those that are undefined go. */
  #change(members: Record<string, unknown>): void {
    const all = Object.entries({ ...this.value(), ...members }).filter(([, value]) => value !== undefined);
    this.changed.emit(Object.fromEntries(all) as Extractor);
  }
}
