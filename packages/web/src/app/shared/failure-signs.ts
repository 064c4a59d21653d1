import { ChangeDetectionStrategy, Component, inject, input, output, signal } from '@angular/core';
import type { FailureSign, HeldSign } from '@sturdy/core';
import { Api, problemOf } from './api';
import { WhyNot } from './why-not';

const kinds: { id: FailureSign['kind']; name: string; example: string }[] = [
  { id: 'text', name: 'a text in the answer', example: 'Your visit has ended' },
  { id: 'title', name: 'a title of a page', example: 'Something went wrong' },
  { id: 'element', name: 'an XML element or a JSON member', example: 'fault' },
];

/** What no good answer holds, one sign a line; each can be tried on what was recorded. */
@Component({
  selector: 'app-failure-signs',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [WhyNot],
  template: `
    @for (failureSign of signs(); track $index; let at = $index) {
      <div class="sign">
        <select #kind [attr.aria-label]="'Kind of sign ' + (at + 1)" (change)="set(at, { kind: $any(kind.value) })">
          @for (kind of kinds; track kind.id) {
            <option [value]="kind.id" [selected]="kind.id === failureSign.kind">{{ kind.name }}</option>
          }
        </select>
        <input
          class="mono"
          [value]="failureSign.text"
          #text
          [attr.aria-label]="'Sign ' + (at + 1)"
          [placeholder]="exampleOf(failureSign.kind)"
          (input)="set(at, { text: text.value })"
        />
        <button
          type="button"
          class="act slim"
          (click)="attempt(at)"
          [whyNot]="failureSign.text.trim() === '' && 'Write the text of the sign first.'"
        >
          Try it
        </button>
        <button type="button" class="act slim" (click)="remove(at)" [attr.aria-label]="'Remove sign ' + (at + 1)">
          <i class="bi bi-trash" aria-hidden="true"></i>
        </button>
      </div>
      @if (tried(); as result) {
        @if (result.at === at) {
          @if (result.held.length === 0) {
            <p class="note good">No recorded answer contains it, so it will catch only answers that failed.</p>
          } @else {
            <div class="note warn" role="status">
              {{ result.held.length === 1 ? 'A recorded answer contains' : 'Recorded answers contain' }} it, so good steps would fail:
              @for (held of result.held.slice(0, 4); track $index) {
                <div class="mono small">{{ held.take }}, {{ held.exchange }}: {{ held.url }}</div>
              }
            </div>
          }
        }
      }
    } @empty {
      <p class="small">None yet. An application that says “your session has expired” with status 200 is caught by such a sign.</p>
    }
    <button type="button" class="act slim" (click)="add()"><i class="bi bi-plus" aria-hidden="true"></i>Add a failure sign</button>
  `,
  styles: `
    .sign {
      display: grid;
      grid-template-columns: 220px 1fr auto auto;
      gap: 8px;
      align-items: center;
      margin-bottom: 8px;
    }
    .sign input {
      min-width: 0;
      color: var(--ink);
      background: var(--surface);
      border: 1px solid var(--line-strong);
      border-radius: 6px;
      padding: 4px 9px;
    }
  `,
})
export class FailureSigns {
  readonly #api = inject(Api);
  readonly kinds = kinds;
  readonly signs = input.required<readonly FailureSign[]>();
  readonly changed = output<readonly FailureSign[]>();
  /** Why a sign could not be tried, in a sentence; null once one is tried. */
  readonly failed = output<string | null>();
  readonly tried = signal<{ at: number; held: readonly HeldSign[] } | null>(null);

  exampleOf(kind: FailureSign['kind']): string {
    return kinds.find((candidate) => candidate.id === kind)?.example ?? '';
  }
  add(): void {
    this.changed.emit([...this.signs(), { kind: 'text', text: '' }]);
  }
  set(at: number, change: Partial<FailureSign>): void {
    const sign = this.signs()[at];
    if (sign) this.changed.emit(this.signs().with(at, { ...sign, ...change }));
    this.tried.set(null);
  }
  remove(at: number): void {
    this.changed.emit(this.signs().toSpliced(at, 1));
    this.tried.set(null);
  }
  attempt(at: number): void {
    const sign = this.signs()[at];
    if (!sign) return;
    this.failed.emit(null);
    this.#api.tryFailureSign(sign).subscribe({
      next: (held) => {
        this.tried.set({ at, held });
      },
      error: (error: unknown) => {
        this.failed.emit(problemOf(error));
      },
    });
  }
}
