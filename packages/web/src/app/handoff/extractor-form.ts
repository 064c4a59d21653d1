import { ChangeDetectionStrategy, Component, computed, input, output } from '@angular/core';
import { EncodingSchema, recordedText, type Encoding, type Extractor } from '@sturdy/core';

type Kind = Extractor['kind'];

const kinds: { id: Kind; name: string }[] = [
  { id: 'header', name: 'a header' },
  { id: 'cookie', name: 'a cookie' },
  { id: 'field', name: 'a form field' },
  { id: 'attribute', name: 'an attribute of an element' },
  { id: 'jsonpath', name: 'a member of JSON' },
  { id: 'xml', name: 'an element of XML' },
  { id: 'xpath', name: 'XPath over XML' },
  { id: 'between', name: 'the text between two others' },
  { id: 'regex', name: 'an expression' },
];

const blank: Record<Kind, Extractor> = {
  header: { kind: 'header', name: 'location' },
  cookie: { kind: 'cookie', name: '' },
  field: { kind: 'field', name: '', nth: 0 },
  attribute: { kind: 'attribute', element: 'a', by: null, attribute: 'href', nth: 0 },
  jsonpath: { kind: 'jsonpath', path: '$.id', pick: 'first' },
  xml: { kind: 'xml', path: '/', nth: 0 },
  xpath: { kind: 'xpath', expression: '//id', pick: 'first' },
  between: { kind: 'between', left: '', right: '', nth: 0 },
  regex: { kind: 'regex', pattern: '', nth: 0 },
};

/** The texts that each kind is made of, with what they are called and an example. */
const texts: Record<Kind, { key: string; label: string; hint: string }[]> = {
  header: [{ key: 'name', label: 'Name of the header', hint: 'location' }],
  cookie: [{ key: 'name', label: 'Name of the cookie', hint: 'visit' }],
  field: [{ key: 'name', label: 'Name of the field', hint: 'key' }],
  attribute: [
    { key: 'element', label: 'Element', hint: 'meta' },
    { key: 'attribute', label: 'Attribute', hint: 'content' },
  ],
  jsonpath: [{ key: 'path', label: 'Path (JSONPath, RFC 9535)', hint: '$.items[*].id' }],
  xml: [{ key: 'path', label: 'Path of elements', hint: '/release/intake' }],
  xpath: [{ key: 'expression', label: 'Expression (XPath 3.1)', hint: '//m:row[m:state = "free"]/@id' }],
  between: [
    { key: 'left', label: 'Text before', hint: 'data-id="' },
    { key: 'right', label: 'Text after', hint: '"' },
  ],
  regex: [{ key: 'pattern', label: 'Expression; its first group is read', hint: 'id=(\\d+)' }],
};

const wrappings: { id: Encoding; name: string }[] = [
  { id: 'component', name: 'percent signs' },
  { id: 'json', name: 'JSON string' },
  { id: 'xml', name: 'character references' },
  { id: 'base64', name: 'base64' },
  { id: 'base64url', name: 'base64url' },
  { id: 'hex', name: 'hex' },
];

/** A way to read a value, as a form; tells every change at once, so that it can be tried while it is written. */
@Component({
  selector: 'app-extractor-form',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `<div class="fields">
    <label class="field wide"
      >Read
      <select #kind (change)="setKind(kind.value)">
        @for (one of kinds; track one.id) {
          <option [value]="one.id" [selected]="one.id === value().kind">{{ one.name }}</option>
        }
      </select></label
    >
    @for (one of ownTexts(); track one.key) {
      <label class="field wide"
        >{{ one.label }}
        <input
          class="mono"
          [value]="textOf(one.key)"
          [placeholder]="one.hint"
          spellcheck="false"
          #text
          (input)="set(one.key, text.value)"
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
          @for (one of choices(); track one.id) {
            <option [value]="one.id" [selected]="one.id === picks()">{{ one.name }}</option>
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
            @for (one of wrappings; track one.id) {
              <option [value]="one.id" [selected]="value().decode?.[0] === one.id">{{ one.name }}</option>
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
  readonly kinds = kinds;
  readonly wrappings = wrappings;
  readonly ownTexts = computed(() => texts[this.value().kind]);
  readonly own = computed(() => {
    const value = this.value();
    return value.kind === 'attribute' ? value : null;
  });
  readonly canPick = computed(() => !/^(header|cookie)$/.test(this.value().kind));
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
    const { kind } = this.value();
    const byNumber = kind !== 'jsonpath';
    const byPick = !/^(field|xml)$/.test(kind);
    return [
      { id: 'first', name: 'the first' },
      ...(byPick
        ? [
            { id: 'last', name: 'the last' },
            { id: 'any', name: 'any of them' },
          ]
        : []),
      ...(byNumber ? [{ id: 'nth', name: 'by its number' }] : []),
    ];
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
    this.changed.emit({ ...blank[kind as Kind], ...(within && { within }), ...(decode && { decode }), ...(beside && { beside }) });
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
