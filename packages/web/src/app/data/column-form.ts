import { ChangeDetectionStrategy, Component, computed, input, output } from '@angular/core';
import { iso7064Systems, type GeneratedColumn } from '@sturdy/core';

type Kind = GeneratedColumn['kind'];

export const columnKinds: { id: Kind; name: string }[] = [
  { id: 'sequence', name: 'numbers that go up' },
  { id: 'number', name: 'random numbers' },
  { id: 'guid', name: 'UUIDs' },
  { id: 'date', name: 'days near today' },
  { id: 'pick', name: 'one of a list' },
  { id: 'container', name: 'container numbers (ISO 6346)' },
  { id: 'gs1', name: 'GS1 numbers with check digit' },
  { id: 'iso7064', name: 'numbers with check characters (ISO/IEC 7064)' },
  { id: 'iban', name: 'IBANs' },
  { id: 'words', name: 'words like names' },
  { id: 'joined', name: 'a text of other columns' },
  { id: 'digest', name: 'a digest of another column' },
];

/** A column of a kind, to start with. */
export function newColumn(kind: Kind, name: string): GeneratedColumn {
  switch (kind) {
    case 'sequence':
      return { kind, name, start: 1, step: 1, width: 5 };
    case 'number':
      return { kind, name, from: 1000, to: 24000, decimals: 0 };
    case 'guid':
      return { kind, name };
    case 'date':
      return { kind, name, fromDays: 0, toDays: 14, form: 'YYYY-MM-DD' };
    case 'pick':
      return {
        kind,
        name,
        from: [
          { text: 'Frozen cod', weight: 3 },
          { text: 'Blue mussels', weight: 1 },
        ],
      };
    case 'container':
      return { kind, name, owner: 'TWCU' };
    case 'gs1':
      return { kind, name, prefix: '4012345', length: 13 };
    case 'iso7064':
      return { kind, name, system: 'mod 97-10', prefix: '', digits: 8 };
    case 'iban':
      return { kind, name, country: 'DE', bank: '37040044', digits: 10 };
    case 'words':
      return { kind, name, count: 2 };
    case 'joined':
      return { kind, name, text: 'Lot {container}' };
    case 'digest':
      return { kind, name, of: 'container', digest: 'sha256' };
  }
}

/** A field of a column's form: what it sets, and as what. */
interface Field {
  key: string;
  label: string;
  type: 'text' | 'number' | 'choice' | 'list';
  choices?: readonly string[];
}
const fields: Record<Kind, Field[]> = {
  sequence: [
    { key: 'start', label: 'From', type: 'number' },
    { key: 'step', label: 'Step', type: 'number' },
    { key: 'width', label: 'Digits at least', type: 'number' },
  ],
  number: [
    { key: 'from', label: 'From', type: 'number' },
    { key: 'to', label: 'To', type: 'number' },
    { key: 'decimals', label: 'Decimals', type: 'number' },
  ],
  guid: [],
  date: [
    { key: 'fromDays', label: 'Days from today', type: 'number' },
    { key: 'toDays', label: 'to', type: 'number' },
    {
      key: 'form',
      label: 'Form',
      type: 'choice',
      choices: ['YYYY-MM-DD', 'DD.MM.YYYY', 'MM/DD/YYYY', 'YYYY-MM-DDThh:mm:ssZ', 'ms since 1970'],
    },
  ],
  pick: [{ key: 'from', label: 'One a line; “3 x Frozen cod” comes three times as often', type: 'list' }],
  container: [{ key: 'owner', label: 'Owner code and category', type: 'text' }],
  gs1: [
    { key: 'prefix', label: 'Starts with', type: 'text' },
    { key: 'length', label: 'Digits', type: 'choice', choices: ['8', '12', '13', '14', '18'] },
  ],
  iso7064: [
    { key: 'system', label: 'System', type: 'choice', choices: iso7064Systems },
    { key: 'prefix', label: 'Starts with', type: 'text' },
    { key: 'digits', label: 'Digits', type: 'number' },
  ],
  iban: [
    { key: 'country', label: 'Country', type: 'text' },
    { key: 'bank', label: 'Bank', type: 'text' },
    { key: 'digits', label: 'Digits of the account', type: 'number' },
  ],
  words: [{ key: 'count', label: 'Words', type: 'number' }],
  joined: [{ key: 'text', label: 'Text, with {columns}', type: 'text' }],
  digest: [
    { key: 'of', label: 'Column', type: 'text' },
    { key: 'digest', label: 'Digest', type: 'choice', choices: ['md5', 'sha1', 'sha256', 'sha512'] },
  ],
};

/** One generated column as a row of fields; tells every change at once. */
@Component({
  selector: 'app-column-form',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `<label class="field">Column <input [value]="value().name" #name (input)="set('name', name.value)" /></label
    ><label class="field"
      >Filled with
      <select #kind (change)="setKind(kind.value)">
        @for (kind of kinds; track kind.id) {
          <option [value]="kind.id" [selected]="kind.id === value().kind">{{ kind.name }}</option>
        }
      </select></label
    >
    @for (field of own(); track field.key) {
      @switch (field.type) {
        @case ('choice') {
          <label class="field"
            >{{ field.label }}
            <select #choice (change)="setChoice(field.key, choice.value)">
              @for (choice of field.choices ?? []; track choice) {
                <option [value]="choice" [selected]="textOf(field.key) === choice">{{ choice }}</option>
              }
            </select></label
          >
        }
        @case ('list') {
          <label class="field wide"
            >{{ field.label }} <textarea rows="3" [value]="listText()" #list (input)="setList(list.value)"></textarea>
          </label>
        }
        @case ('number') {
          <label class="field"
            >{{ field.label }} <input type="number" [value]="textOf(field.key)" #number (input)="setNumber(field.key, number.value)"
          /></label>
        }
        @default {
          <label class="field">{{ field.label }} <input [value]="textOf(field.key)" #text (input)="set(field.key, text.value)" /></label>
        }
      }
    }
    <button class="act slim" type="button" (click)="removed.emit()" [attr.aria-label]="'Leave out the column ' + value().name">
      <i class="bi bi-trash" aria-hidden="true"></i>
    </button>`,
  styles: `
    :host {
      display: flex;
      flex-wrap: wrap;
      gap: 10px;
      align-items: end;
      padding: 8px 0;
      border-bottom: 1px solid var(--line);
    }
    input {
      width: 118px;
    }
    .wide textarea {
      width: 330px;
    }
  `,
})
export class ColumnForm {
  readonly value = input.required<GeneratedColumn>();
  readonly changed = output<GeneratedColumn>();
  readonly removed = output();
  readonly kinds = columnKinds;
  readonly own = computed(() => fields[this.value().kind]);
  readonly listText = computed(() => {
    const column = this.value();
    return column.kind === 'pick'
      ? column.from.map((choice) => (choice.weight === 1 ? choice.text : `${choice.weight} x ${choice.text}`)).join('\n')
      : '';
  });

  textOf(key: string): string {
    const value = (this.value() as unknown as Record<string, unknown>)[key];
    return typeof value === 'string' || typeof value === 'number' ? String(value) : '';
  }
  set(key: string, value: unknown): void {
    this.changed.emit({ ...this.value(), [key]: value });
  }
  setKind(kind: string): void {
    const known = columnKinds.find((columnKind) => columnKind.id === kind);
    if (known) this.changed.emit(newColumn(known.id, this.value().name));
  }
  setNumber(key: string, text: string): void {
    if (text.trim() !== '' && Number.isFinite(Number(text))) this.set(key, Number(text));
  }
  setChoice(key: string, text: string): void {
    this.set(key, key === 'length' ? Number(text) : text);
  }
  setList(text: string): void {
    const from = text
      .split('\n')
      .filter((line) => line.trim() !== '')
      .map((line) => {
        const weighted = /^\s*(\d+(?:\.\d+)?)\s*x\s+(.+)$/.exec(line);
        return weighted ? { text: (weighted[2] ?? '').trim(), weight: Number(weighted[1]) || 1 } : { text: line.trim(), weight: 1 };
      });
    if (from.length > 0) this.set('from', from);
  }
}
