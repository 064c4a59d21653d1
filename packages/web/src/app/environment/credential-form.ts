import { ChangeDetectionStrategy, Component, input, output, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { isKept, type Credential } from '@sturdy/core';

const kinds: { kind: Credential['kind']; name: string }[] = [
  { kind: 'basic', name: 'Basic' },
  { kind: 'digest', name: 'Digest' },
  { kind: 'ntlm', name: 'NTLM' },
  { kind: 'bearer', name: 'Bearer token' },
  { kind: 'certificate', name: 'Client certificate' },
];

/** One way in which connections sign in to a target; what is written as its secret is masked until asked for. */
@Component({
  selector: 'app-credential-form',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FormsModule],
  template: `<fieldset class="card-box pad">
    <legend class="visually-hidden">Sign-in</legend>
    <label class="field"
      >Method<select name="kind" [ngModel]="credential().kind" [ngModelOptions]="alone" (ngModelChange)="setKind($event)">
        @for (kind of kinds; track kind.kind) {
          <option [value]="kind.kind">{{ kind.name }}</option>
        }
      </select></label
    >
    <label class="field wide"
      >At<input
        class="mono"
        [ngModel]="credential().origin"
        [ngModelOptions]="alone"
        (ngModelChange)="set('origin', $event)"
        placeholder="* for every target"
    /></label>
    @switch (credential().kind) {
      @case ('bearer') {
        <label class="field wide"
          >Token<input
            autocomplete="off"
            [type]="shown() ? 'text' : 'password'"
            [ngModel]="secret('token')"
            [placeholder]="placeholder('token')"
            [ngModelOptions]="alone"
            (ngModelChange)="setSecret('token', $event)"
        /></label>
      }
      @case ('certificate') {
        <label class="field pem"
          >Certificate and its chain, in PEM<textarea
            rows="3"
            class="mono"
            [ngModel]="value('certificate')"
            [ngModelOptions]="alone"
            (ngModelChange)="set('certificate', $event)"
          ></textarea>
        </label>
        <label class="field pem"
          >Private key, in PEM<textarea
            rows="3"
            class="mono"
            [class.hidden-text]="!shown()"
            [ngModel]="secret('key')"
            [placeholder]="placeholder('key')"
            [ngModelOptions]="alone"
            (ngModelChange)="setSecret('key', $event)"
          ></textarea>
        </label>
        <label class="field"
          >Passphrase<input
            autocomplete="off"
            [type]="shown() ? 'text' : 'password'"
            [ngModel]="secret('passphrase')"
            [placeholder]="placeholder('passphrase')"
            [ngModelOptions]="alone"
            (ngModelChange)="setSecret('passphrase', $event)"
        /></label>
      }
      @default {
        <label class="field"
          >User<input autocomplete="off" [ngModel]="value('user')" [ngModelOptions]="alone" (ngModelChange)="set('user', $event)"
        /></label>
        <label class="field"
          >Password<input
            autocomplete="new-password"
            [type]="shown() ? 'text' : 'password'"
            [ngModel]="secret('password')"
            [placeholder]="placeholder('password')"
            [ngModelOptions]="alone"
            (ngModelChange)="setSecret('password', $event)"
        /></label>
        @if (credential().kind === 'ntlm') {
          <label class="field"
            >Domain<input [ngModel]="value('domain')" [ngModelOptions]="alone" (ngModelChange)="set('domain', $event)"
          /></label>
        }
      }
    }
    <span class="ends">
      <button type="button" class="act slim" (click)="shown.set(!shown())">{{ shown() ? 'Mask' : 'Show' }}</button>
      <button type="button" class="act slim" (click)="removed.emit()" aria-label="Remove this sign-in">
        <i class="bi bi-trash" aria-hidden="true"></i>
      </button>
    </span>
  </fieldset>`,
  styles: `
    fieldset {
      display: flex;
      flex-wrap: wrap;
      gap: 10px;
      align-items: end;
      margin-bottom: 8px;
    }
    .field {
      width: 130px;
    }
    .wide {
      width: 200px;
    }
    .pem {
      width: 320px;
    }
    .hidden-text {
      color: transparent;
      text-shadow: 0 0 6px var(--ink-2);
    }
    .ends {
      display: flex;
      gap: 6px;
      margin-left: auto;
    }
  `,
})
export class CredentialForm {
  readonly credential = input.required<Credential>();
  readonly changed = output<Credential>();
  readonly removed = output();
  readonly shown = signal(false);
  readonly kinds = kinds;
  readonly alone = { standalone: true };
  /** What stood in the place of secrets that were kept, by field. */
  readonly #kept = new Map<string, string>();

  value(field: string): string {
    return (this.credential() as Record<string, string>)[field] ?? '';
  }

  set(field: string, value: string): void {
    this.changed.emit({ ...this.credential(), [field]: value });
  }

  /** A secret that is kept is not shown: its field is empty, and stays so unless a new one is written. */
  secret(field: string): string {
    const value = this.value(field);
    return isKept(value) ? '' : value;
  }
  placeholder(field: string): string {
    return isKept(this.value(field)) ? 'kept' : '';
  }
  setSecret(field: string, value: string): void {
    const before = this.value(field);
    if (isKept(before)) this.#kept.set(field, before);
    this.set(field, value === '' ? (this.#kept.get(field) ?? '') : value);
  }

  setKind(kind: Credential['kind']): void {
    const { origin } = this.credential();
    const user = { user: this.value('user'), password: this.value('password') };
    const made: Record<Credential['kind'], Credential> = {
      basic: { kind: 'basic', origin, ...user },
      digest: { kind: 'digest', origin, ...user },
      ntlm: { kind: 'ntlm', origin, ...user, domain: this.value('domain') },
      bearer: { kind: 'bearer', origin, token: this.value('token') },
      certificate: { kind: 'certificate', origin, certificate: '', key: '', passphrase: '' },
    };
    this.changed.emit(made[kind]);
  }
}
