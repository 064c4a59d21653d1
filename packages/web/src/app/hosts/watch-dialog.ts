import { ChangeDetectionStrategy, Component, computed, inject, signal } from '@angular/core';
import { NgbActiveModal } from '@ng-bootstrap/ng-bootstrap/modal';
import { WatchSchema, type ShownFigure, type Watch } from '@sturdy/core';
import { Api, problemOf } from '../shared/api';
import { NumberField } from '../shared/number-field';
import { WhyNot } from '../shared/why-not';

/** A host that gives its figures out: its address, and which figures are shown under which names. */
@Component({
  selector: 'app-watch-dialog',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [WhyNot, NumberField],
  template: `<div class="modal-header">
      <h2 class="m-0">Watch a host</h2>
      <button type="button" class="btn-close" aria-label="Close" (click)="modal.dismiss()"></button>
    </div>
    <div class="modal-body">
      <div class="fields mb-2">
        <label class="field">Name<input [value]="name()" #own (input)="name.set(own.value)" /></label>
        <label class="field grow"
          >Address of its figures (OpenMetrics text)<input class="mono" [value]="url()" #address (input)="url.set(address.value)"
        /></label>
        <app-number-field label="Every, s" [value]="every()" [min]="1" [max]="60" [step]="1" (changed)="every.set($event)" />
        <button class="act" (click)="ask()" [whyNot]="asking() && 'The host is being asked.'">{{ asking() ? 'Asking…' : 'Ask it' }}</button>
      </div>
      @if (problem(); as sentence) {
        <p class="note bad" role="alert">{{ sentence }}</p>
      }
      @if (offered().length > 0) {
        <p class="muted small mb-1">
          Choose the figures to show, and name each as people know it. Counters are shown as growth per second.
        </p>
        <div class="scroll" tabindex="0" role="region" aria-label="Figures that it offers">
          <table class="grid">
            <thead>
              <tr>
                <th><span class="visually-hidden">Shown</span></th>
                <th>Figure</th>
                <th>Shown as</th>
                <th>Unit</th>
                <th class="num">Times</th>
              </tr>
            </thead>
            <tbody>
              @for (offer of offered(); track offer.metric; let at = $index) {
                <tr>
                  <td>
                    <input type="checkbox" [checked]="isShown(offer)" [attr.aria-label]="'Show ' + offer.metric" (change)="tick(offer)" />
                  </td>
                  <td class="mono small">
                    {{ offer.metric }}<span class="muted">{{ offer.as === 'rate' ? ', a second' : '' }}</span>
                  </td>
                  <td>
                    <input
                      [value]="offer.name"
                      #label
                      [attr.aria-label]="'Name of ' + offer.metric"
                      (change)="set(at, { name: label.value })"
                    />
                  </td>
                  <td>
                    <input
                      class="unit"
                      [value]="offer.unit"
                      #unit
                      [attr.aria-label]="'Unit of ' + offer.metric"
                      (change)="set(at, { unit: unit.value })"
                    />
                  </td>
                  <td class="num">
                    <input
                      class="unit"
                      type="number"
                      step="any"
                      [value]="offer.scale"
                      #scale
                      [attr.aria-label]="'Factor of ' + offer.metric"
                      (change)="set(at, { scale: +scale.value })"
                    />
                  </td>
                </tr>
              }
            </tbody>
          </table>
        </div>
      } @else {
        <p class="muted small">
          Ask the host to see what it offers. A host that is not on this machine has to be a cleared target of the environment.
        </p>
      }
    </div>
    <div class="modal-footer">
      <button class="act" (click)="modal.dismiss()">Cancel</button>
      <button class="act main" (click)="save()" [whyNot]="shown().size === 0 && 'Choose a figure that is to be shown.'">Watch it</button>
    </div>`,
  styles: `
    .scroll {
      max-height: 360px;
      overflow: auto;
    }
    td input:not([type='checkbox']) {
      width: 100%;
      color: var(--ink);
      background: var(--surface);
      border: 1px solid var(--line-strong);
      border-radius: 6px;
      padding: 2px 8px;
    }
    td .unit {
      max-width: 90px;
    }
  `,
})
export class WatchDialog {
  readonly #api = inject(Api);
  readonly modal = inject(NgbActiveModal);
  readonly name = signal('');
  readonly url = signal('');
  readonly every = signal(2);
  readonly asking = signal(false);
  readonly problem = signal<string | null>(null);
  readonly offered = signal<readonly ShownFigure[]>([]);
  readonly shown = signal<ReadonlySet<string>>(new Set());
  #id = '';
  readonly #written = computed((): unknown => ({
    id: this.#id,
    name: this.name(),
    kind: 'open-metrics',
    url: this.url().trim(),
    everySeconds: this.every(),
    shown: this.offered()
      .filter((figure) => this.shown().has(figure.metric))
      .map((figure) => ({ ...figure, id: figure.metric })),
  }));

  /** Begins with a watch that is there, or with an address to try. */
  load(watch: Extract<Watch, { kind: 'open-metrics' }>): void {
    this.#id = watch.id;
    this.name.set(watch.name);
    this.url.set(watch.url);
    this.every.set(watch.everySeconds);
    this.offered.set(watch.shown);
    this.shown.set(new Set(watch.shown.map((figure) => figure.metric)));
    if (watch.url !== '') this.ask();
  }
  isShown({ metric }: ShownFigure): boolean {
    return this.shown().has(metric);
  }
  tick({ metric }: ShownFigure): void {
    const shown = new Set(this.shown());
    if (!shown.delete(metric)) shown.add(metric);
    this.shown.set(shown);
  }
  set(at: number, change: Partial<ShownFigure>): void {
    this.offered.set(this.offered().map((figure, n) => (n === at ? { ...figure, ...change } : figure)));
  }
  ask(): void {
    this.problem.set(null);
    this.asking.set(true);
    this.#api.askHost(this.url().trim()).subscribe({
      next: ({ offered }) => {
        this.asking.set(false);
        const named = new Map(this.offered().map((figure) => [figure.metric, figure]));
        // A new host begins with everything that it offers.
        if (named.size === 0) this.shown.set(new Set(offered.map((figure) => figure.metric)));
        this.offered.set(offered.map((figure) => named.get(figure.metric) ?? figure));
      },
      error: (error: unknown) => {
        this.asking.set(false);
        this.problem.set(problemOf(error));
      },
    });
  }
  save(): void {
    const watch = WatchSchema.safeParse(this.#written());
    if (watch.success) this.modal.close(watch.data);
    else this.problem.set(watch.error.issues.map((issue) => issue.message).join(' '));
  }
}
