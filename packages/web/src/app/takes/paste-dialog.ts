import { ChangeDetectionStrategy, Component, inject } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { NgbActiveModal } from '@ng-bootstrap/ng-bootstrap/modal';
import { WhyNot } from '../shared/why-not';

/** Takes command lines of curl. */
@Component({
  selector: 'app-paste-dialog',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [WhyNot, FormsModule],
  template: `<form (ngSubmit)="modal.close({ name, text })">
    <div class="modal-header">
      <h2 class="m-0">Paste requests as cURL</h2>
      <button type="button" class="btn-close" aria-label="Close" (click)="modal.dismiss()"></button>
    </div>
    <div class="modal-body">
      <label class="field mb-3">Name of the take<input name="name" [(ngModel)]="name" /></label>
      <label class="field"
        >Commands, as a browser copies them by “Copy as cURL”; several one after another<textarea
          name="text"
          rows="12"
          class="mono"
          [(ngModel)]="text"
          placeholder="curl 'http://127.0.0.1:4701/sign-in' -H 'Accept: text/html'"
        ></textarea>
      </label>
      <p class="muted small mt-2 mb-0">A take of pasted requests has no answers, so correlation cannot find where values come from.</p>
    </div>
    <div class="modal-footer">
      <button type="button" class="act" (click)="modal.dismiss()">Cancel</button>
      <button
        class="act main"
        [whyNot]="text.trim() === '' ? 'Paste at least one command first.' : name.trim() === '' && 'Name the take first.'"
      >
        Make a take
      </button>
    </div>
  </form>`,
})
export class PasteDialog {
  readonly modal = inject(NgbActiveModal);
  name = 'Pasted requests';
  text = '';
}
