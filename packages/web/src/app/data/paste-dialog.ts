import { ChangeDetectionStrategy, Component, inject, signal } from '@angular/core';
import { NgbActiveModal } from '@ng-bootstrap/ng-bootstrap/modal';
import { WhyNot } from '../shared/why-not';

/** Takes cells that were copied from a spreadsheet; closes with the table's name and its text. */
@Component({
  selector: 'app-paste-dialog',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [WhyNot],
  template: `<div class="modal-header">
      <h2 class="m-0">Paste from a spreadsheet</h2>
      <button type="button" class="btn-close" aria-label="Close" (click)="modal.dismiss()"></button>
    </div>
    <div class="modal-body">
      <label class="field mb-2">Table name <input [value]="name()" #own (input)="name.set(own.value)" /></label>
      <label class="field"
        >Cells, with or without a line that names the columns
        <textarea class="mono" rows="10" #cells (input)="text.set(cells.value)" placeholder="container&#9;grower&#9;kg"></textarea>
      </label>
    </div>
    <div class="modal-footer">
      <button class="act" (click)="modal.dismiss()">Cancel</button>
      <button
        class="act main"
        (click)="modal.close({ name: name().trim(), text: text() })"
        [whyNot]="text().trim() === '' ? 'Paste the rows first.' : name().trim() === '' && 'Name the table first.'"
      >
        Make a table of it
      </button>
    </div>`,
})
export class PasteDialog {
  readonly modal = inject(NgbActiveModal);
  readonly name = signal('Pasted');
  readonly text = signal('');
}
