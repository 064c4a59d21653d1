import { ChangeDetectionStrategy, Component, inject, signal } from '@angular/core';
import { RouterLink } from '@angular/router';
import { NgbModal } from '@ng-bootstrap/ng-bootstrap/modal';
import { Store } from '@ngrx/store';
import { ConfirmDelete } from '../shared/confirm-delete';
import { bytes, moment } from '../shared/format';
import { PasteDialog } from './paste-dialog';
import { takesActions } from '../state/takes.actions';
import { takesFeature } from '../state/takes.feature';
import { ListPage } from '../shared/list-page';

/** All takes, the import of HAR files, and the way into the recording room. */
@Component({
  selector: 'app-take-list',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [ListPage, RouterLink, ConfirmDelete],
  host: { '(dragover)': 'over($event)', '(dragleave)': 'dragged.set(false)', '(drop)': 'drop($event)' },
  template: `<app-list-page
    heading="Takes"
    hint="one recording of one flow each; two takes of the same flow prove which values change"
    [count]="takes().length"
    [listed]="listed()"
  >
    <ng-container ngProjectAs="[actions]"
      ><button class="act" (click)="paste()"><i class="bi bi-clipboard-plus" aria-hidden="true"></i>Paste cURL</button>
      <label class="act" tabindex="0" (keydown.enter)="file.click()">
        <i class="bi bi-file-earmark-arrow-up" aria-hidden="true"></i>Import a HAR file
        <input #file type="file" accept=".har,.json" hidden (change)="choose(file)" />
      </label>
      <a class="act main" routerLink="/takes/record"><i class="bi bi-record-circle" aria-hidden="true"></i>Record a take</a></ng-container
    >
    <ng-container ngProjectAs="[above]">
      @if (importing(); as now) {
        <div class="note import" role="status">
          <span
            >Importing: {{ bytes(now.loaded) }} of {{ bytes(now.total) }} read{{
              now.loaded >= now.total ? ', putting the last in order' : ''
            }}</span
          >
          <progress [value]="now.loaded" [max]="now.total" aria-label="Progress of the import"></progress>
          <button class="act slim" (click)="cancel()">Cancel</button>
        </div>
      }
      @if (dragged()) {
        <div class="drop-here" aria-hidden="true">Drop the HAR file to import it</div>
      }
    </ng-container>
    <thead>
      <tr>
        <th>Take</th>
        <th>Recorded</th>
        <th class="num">Exchanges</th>
        <th class="num">Transactions</th>
        <th>State</th>
        <th></th>
      </tr>
    </thead>
    <tbody>
      @for (take of takes(); track take.id) {
        <tr>
          <td>
            <a [routerLink]="['/takes', take.id]"
              ><b>{{ take.name }}</b></a
            >
          </td>
          <td>{{ moment(take.startedAt) }}</td>
          <td class="num">{{ take.exchangeCount }}</td>
          <td class="num">{{ transactions(take.marks) }}</td>
          <td>{{ take.state === 'done' ? 'done' : 'recording' }}</td>
          <td class="num">
            <app-confirm-delete [name]="take.name" (confirmed)="remove(take.id)" />
          </td>
        </tr>
      }
    </tbody>
    <ng-container ngProjectAs="[empty]"
      >No take yet. Record what a browser does, or drop a HAR file here.<br />
      <a class="act main" routerLink="/takes/record">Open the recording room</a></ng-container
    >
  </app-list-page>`,
  styles: `
    .import {
      display: flex;
      gap: 14px;
      align-items: center;
    }
  `,
})
export class TakeList {
  readonly #store = inject(Store);
  readonly #modals = inject(NgbModal);
  readonly takes = this.#store.selectSignal(takesFeature.selectAll);
  readonly listed = this.#store.selectSignal(takesFeature.selectListed);
  readonly importing = this.#store.selectSignal(takesFeature.selectImporting);
  readonly dragged = signal(false);
  readonly moment = moment;
  readonly bytes = bytes;

  constructor() {
    this.#store.dispatch(takesActions.listAsked());
  }

  transactions(marks: readonly { kind: string }[]): number {
    return marks.filter((mark) => mark.kind === 'begin').length;
  }

  remove(id: string): void {
    this.#store.dispatch(takesActions.deleteWanted({ id }));
  }

  choose(input: HTMLInputElement): void {
    const file = input.files?.[0];
    if (file) this.#import(file);
    input.value = '';
  }

  over(event: DragEvent): void {
    event.preventDefault();
    this.dragged.set(true);
  }

  drop(event: DragEvent): void {
    event.preventDefault();
    this.dragged.set(false);
    const file = event.dataTransfer?.files[0];
    if (file) this.#import(file);
  }

  cancel(): void {
    this.#store.dispatch(takesActions.importCancelled());
  }

  paste(): void {
    this.#modals.open(PasteDialog, { size: 'lg' }).result.then(
      (pasted: { name: string; text: string }) => {
        this.#store.dispatch(takesActions.curlPasted(pasted));
      },
      () => undefined,
    );
  }

  #import(file: File): void {
    this.#store.dispatch(takesActions.harChosen({ name: file.name.replace(/\.(har|json)$/i, ''), file }));
  }
}
