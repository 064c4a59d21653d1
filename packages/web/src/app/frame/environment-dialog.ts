import { ChangeDetectionStrategy, Component, inject, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { NgbActiveModal } from '@ng-bootstrap/ng-bootstrap';
import type { Environment } from '@sturdy/core';

/** The environment: which origins may be hit, and which real ones stand for recorded ones. */
@Component({
  selector: 'app-environment-dialog',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FormsModule],
  template: `<form (ngSubmit)="save()">
    <div class="modal-header">
      <h2 class="m-0">Environment</h2>
      <button type="button" class="btn-close" aria-label="Close" (click)="modal.dismiss()"></button>
    </div>
    <div class="modal-body">
      <label class="field mb-3">Name<input name="name" [(ngModel)]="name" /></label>
      <label class="field mb-3"
        >Targets that may be hit, one a line<textarea
          name="targets"
          rows="4"
          class="mono"
          [(ngModel)]="targets"
          placeholder="http://127.0.0.1:4701"
        ></textarea>
      </label>
      <label class="field"
        >Recorded origin to real origin, one pair a line<textarea
          name="map"
          rows="3"
          class="mono"
          [(ngModel)]="map"
          placeholder="http://127.0.0.1:4701 http://127.0.0.1:4801"
        ></textarea>
      </label>
      <p class="muted small mt-2 mb-0">
        Recording, rehearsals and runs refuse every other host. This project may hit addresses of this machine only.
      </p>
    </div>
    <div class="modal-footer">
      <button type="button" class="act" (click)="modal.dismiss()">Cancel</button><button class="act main">Save</button>
    </div>
  </form>`,
})
export class EnvironmentDialog {
  readonly modal = inject(NgbActiveModal);
  readonly #environment = signal<Environment | null>(null);
  name = '';
  targets = '';
  map = '';

  show(environment: Environment): void {
    this.#environment.set(environment);
    this.name = environment.name;
    this.targets = environment.targets.join('\n');
    this.map = Object.entries(environment.map)
      .map((pair) => pair.join(' '))
      .join('\n');
  }

  save(): void {
    const before = this.#environment();
    if (!before) return;
    const lines = (text: string) =>
      text
        .split('\n')
        .map((line) => line.trim())
        .filter(Boolean);
    const pairs = lines(this.map).map((line) => line.split(/\s+/));
    this.modal.close({
      ...before,
      name: this.name,
      targets: lines(this.targets),
      map: Object.fromEntries(pairs.map(([from = '', to]): [string, string] => [from, to ?? from])),
    });
  }
}
