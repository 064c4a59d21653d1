import { ChangeDetectionStrategy, Component, input, output, signal } from '@angular/core';

/** A button that deletes after one question, asked in its own place. */
@Component({
  selector: 'app-confirm-delete',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `@if (asked()) {
      <button class="act slim danger" (click)="sure()">{{ question() }}</button>
      <button class="act slim" (click)="asked.set(false)">Keep</button>
    } @else {
      <button class="act slim" (click)="asked.set(true)" [attr.aria-label]="'Delete ' + name()">
        <i class="bi bi-trash" aria-hidden="true"></i>
      </button>
    }`,
  styles: `
    :host {
      display: inline-flex;
      gap: 6px;
    }
  `,
})
export class ConfirmDelete {
  /** What would be deleted. */
  readonly name = input.required<string>();
  readonly question = input('Delete for good');
  readonly confirmed = output();
  readonly asked = signal(false);

  sure(): void {
    this.asked.set(false);
    this.confirmed.emit();
  }
}
