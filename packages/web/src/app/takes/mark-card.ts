import { ChangeDetectionStrategy, Component, input, output, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { WhyNot } from '../shared/why-not';

/** Names what is being done: begin and end of transactions, comments. Names are proposed from the page. */
@Component({
  selector: 'app-mark-card',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [WhyNot, FormsModule],
  template: `<section class="card-box pad">
    <h2>2 · Name what you do</h2>
    <div class="fields">
      <label class="field"
        >Transaction<input name="transaction" [(ngModel)]="transaction" [placeholder]="open() ?? 'Sign in'" (keydown.enter)="begin()"
      /></label>
      <button class="act" (click)="begin()" [whyNot]="transaction.trim() === '' && 'Write the name of the transaction first.'">
        Begin
      </button>
      <button class="act" (click)="end()" [whyNot]="open() === null && 'No transaction has begun.'">
        End{{ open() ? ' ' + open() : '' }}
      </button>
    </div>
    @if (suggestions().length > 0) {
      <div class="names" aria-label="Names from the page">
        @for (suggestion of suggestions().slice(0, 5); track suggestion) {
          <button class="act slim" (click)="mark.emit({ kind: 'begin', text: suggestion })" [title]="'Begin “' + suggestion + '”'">
            {{ suggestion }}
          </button>
        }
      </div>
    }
    <div class="fields mt-2">
      <label class="field">Comment<input name="comment" [(ngModel)]="comment" (keydown.enter)="note()" /></label>
      <button class="act" (click)="note()" [whyNot]="comment.trim() === '' && 'Write the comment first.'">Note it</button>
    </div>
    <p class="muted small mb-0 mt-2">
      <kbd>B</kbd> begin, <kbd>E</kbd> end, <kbd>P</kbd> pause, <kbd>D</kbd> discard here; <kbd>Ctrl Alt</kbd> with <kbd>B</kbd>,
      <kbd>E</kbd>, <kbd>P</kbd> in the clean browser. A robot marks by
      <button class="as-link" (click)="robot.set(!robot())" [attr.aria-expanded]="robot()">POST</button>.
    </p>
    @if (robot()) {
      <pre class="body mt-1">curl -H 'Content-Type: application/json' {{ origin }}/api/takes/record/marks -d '{{ example }}'</pre>
    }
  </section>`,
  styles: `
    h2 {
      margin-top: 0;
    }
    .field {
      flex: 1;
    }
    .names {
      display: flex;
      gap: 5px;
      flex-wrap: wrap;
      margin-top: 6px;
    }
    kbd {
      background: var(--sunk);
      color: var(--ink);
      border: 1px solid var(--line-strong);
    }
  `,
})
export class MarkCard {
  /** The transaction that is open now. */
  readonly open = input.required<string | null>();
  readonly suggestions = input.required<readonly string[]>();
  readonly mark = output<{ kind: 'begin' | 'end' | 'comment'; text: string }>();
  readonly robot = signal(false);
  readonly origin = location.origin;
  readonly example = '{"kind":"begin","text":"Sign in"}';
  transaction = '';
  comment = '';

  begin(): void {
    if (this.transaction.trim() === '') return;
    this.mark.emit({ kind: 'begin', text: this.transaction.trim() });
    this.transaction = '';
  }
  end(): void {
    this.mark.emit({ kind: 'end', text: this.open() ?? 'Transaction' });
  }
  note(): void {
    if (this.comment.trim() === '') return;
    this.mark.emit({ kind: 'comment', text: this.comment.trim() });
    this.comment = '';
  }
}
