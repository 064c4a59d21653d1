import { ChangeDetectionStrategy, Component, computed, input, output, signal } from '@angular/core';
import type { ImportedProject } from '@sturdy/core';
import { WhyNot } from './why-not';

/** Asks for secrets that files did not hold: each once, by its name and what it is for. */
@Component({
  selector: 'app-missing-secrets',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [WhyNot],
  template: `<form (submit)="$event.preventDefault(); give()">
    @for (group of missing(); track group.environment) {
      @for (secret of group.secrets; track secret.name) {
        <div class="field">
          <span
            >{{ group.environment }}: {{ secret.what }} <span class="muted mono small">{{ secret.name }}</span></span
          >
          @if (secret.what.startsWith('key ')) {
            <textarea rows="3" #key (input)="write(secret.name, key.value)" spellcheck="false" [attr.aria-label]="secret.name"></textarea>
          } @else {
            <input type="password" autocomplete="off" #text (input)="write(secret.name, text.value)" [attr.aria-label]="secret.name" />
          }
        </div>
      }
    }
    <button class="act main slim" [whyNot]="written() === 0 && 'Write at least one of them first.'">Keep them</button>
  </form>`,
  styles: `
    form {
      display: grid;
      gap: 10px;
      max-width: 520px;
      justify-items: start;
    }
    .field {
      width: 100%;
    }
  `,
})
export class MissingSecrets {
  readonly missing = input.required<ImportedProject['missing']>();
  /** What was written, by the names of the secrets. */
  readonly given = output<Readonly<Record<string, string>>>();
  readonly #texts = signal<Readonly<Record<string, string>>>({});
  readonly written = computed(() => Object.values(this.#texts()).filter((text) => text !== '').length);

  write(name: string, text: string): void {
    this.#texts.set({ ...this.#texts(), [name]: text });
  }

  give(): void {
    if (this.written() === 0) return;
    this.given.emit(Object.fromEntries(Object.entries(this.#texts()).filter(([, text]) => text !== '')));
  }
}
