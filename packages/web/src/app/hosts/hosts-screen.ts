import { ChangeDetectionStrategy, Component, computed, inject, type OnDestroy } from '@angular/core';
import { toSignal } from '@angular/core/rxjs-interop';
import { NgbModal } from '@ng-bootstrap/ng-bootstrap/modal';
import { Store } from '@ngrx/store';
import { machineFigures, thisMachine, type Watch } from '@sturdy/core';
import { catchError, of } from 'rxjs';
import { Api } from '../shared/api';
import { ConfirmDelete } from '../shared/confirm-delete';
import { figure } from '../shared/format';
import { nextId } from '../shared/next-id';
import { VerdictShape } from '../shared/verdict-shape';
import { hostsActions } from '../state/hosts.actions';
import { hostsFeature } from '../state/hosts.feature';
import { Spark } from './spark';
import { WatchDialog } from './watch-dialog';

/** The watched hosts with their figures now; what is watched here is read while a run lasts, and stands in its lanes. */
@Component({
  selector: 'app-hosts-screen',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [ConfirmDelete, Spark, VerdictShape],
  template: `<div class="page">
    <div class="page-head">
      <h1>Hosts</h1>
      <span class="muted small">read every few seconds while a run lasts, and shown in its lanes; generators are always watched</span>
      <span class="grow"></span>
      @if (!watchesMachine()) {
        <button class="act" (click)="watchMachine()"><i class="bi bi-pc-display" aria-hidden="true"></i>Watch this machine</button>
      }
      <button class="act main" (click)="add()"><i class="bi bi-plus-lg" aria-hidden="true"></i>Watch a host</button>
    </div>
    @if (problem(); as sentence) {
      <p class="note bad" role="alert">{{ sentence }}</p>
    }
    <div class="wide-cards">
      @for (watch of watches(); track watch.id) {
        <section class="card-box" [attr.aria-label]="watch.name">
          <div class="top">
            <app-verdict [verdict]="stateOf(watch)" />
            <div class="grow">
              <b>{{ watch.name }}</b>
              <div class="muted small mono">{{ watch.kind === 'machine' ? 'processor, memory, disk, network' : watch.url }}</div>
            </div>
            <span class="muted small">every {{ watch.everySeconds }} s</span>
            @if (watch.kind === 'open-metrics') {
              <button class="act slim" (click)="change(watch)">Change</button>
            }
            <app-confirm-delete [name]="watch.name" question="Watch it no more" (confirmed)="remove(watch)" />
          </div>
          @if (problems()[watch.id]; as sentence) {
            <p class="note bad m-2">{{ sentence }}</p>
          }
          <table class="grid">
            <thead>
              <tr>
                <th>Figure</th>
                <th class="num">Now</th>
                <th>Unit</th>
                <th>Last two minutes</th>
              </tr>
            </thead>
            <tbody>
              @for (shownFigure of figuresOf(watch); track shownFigure.id) {
                <tr>
                  <td>{{ shownFigure.name }}</td>
                  <td class="num">{{ now(watch.id, shownFigure.id) }}</td>
                  <td class="muted">{{ shownFigure.unit }}</td>
                  <td><app-spark [values]="readings()[watch.id + '/' + shownFigure.id] ?? []" /></td>
                </tr>
              }
            </tbody>
          </table>
        </section>
      } @empty {
        <div class="card-box empty">
          No host is watched. Without host figures a run shows that answers got slow, but not what ran out.<br />
          <button class="act main" (click)="watchMachine()">Watch this machine</button>
        </div>
      }
    </div>
  </div>`,
  styles: `
    .top {
      display: flex;
      gap: 10px;
      align-items: center;
      padding: 10px 12px;
    }
  `,
})
export class HostsScreen implements OnDestroy {
  readonly #store = inject(Store);
  readonly #modals = inject(NgbModal);
  readonly #settings = this.#store.selectSignal(hostsFeature.selectSettings);
  readonly watches = computed(() => this.#settings()?.watches ?? []);
  readonly watchesMachine = computed(() => this.#settings() === null || this.watches().some((watch) => watch.kind === 'machine'));
  readonly readings = this.#store.selectSignal(hostsFeature.selectReadings);
  readonly problems = this.#store.selectSignal(hostsFeature.selectProblems);
  readonly problem = this.#store.selectSignal(hostsFeature.selectProblem);
  readonly #environments = toSignal(
    inject(Api)
      .environments()
      .pipe(catchError(() => of([]))),
    { initialValue: [] },
  );

  constructor() {
    this.#store.dispatch(hostsActions.opened());
  }
  ngOnDestroy(): void {
    this.#store.dispatch(hostsActions.closed());
  }

  figuresOf(watch: Watch): readonly { id: string; name: string; unit: string }[] {
    return watch.kind === 'machine' ? machineFigures : watch.shown;
  }
  now(watch: string, id: string): string {
    const value = this.readings()[`${watch}/${id}`]?.at(-1) ?? null;
    return value === null ? 'none' : figure(value, Math.abs(value) < 100 ? 2 : 0);
  }
  stateOf({ id }: Watch): string {
    const problem = this.problems()[id];
    return problem === undefined ? 'not-sent' : problem === null ? 'passed' : 'failed';
  }
  watchMachine(): void {
    this.#change([thisMachine, ...this.watches()]);
  }
  /** A new host begins with the address where a target of the environment may have its figures. */
  add(): void {
    const target = this.#environments()[0]?.targets[0];
    this.#open({
      id: nextId('host-', this.watches()),
      name: target === undefined ? 'Host' : new URL(target).host,
      kind: 'open-metrics',
      url: target === undefined ? '' : `${target}/metrics`,
      everySeconds: 2,
      shown: [],
    });
  }
  change(watch: Watch): void {
    if (watch.kind === 'open-metrics') this.#open(watch);
  }
  remove({ id }: Watch): void {
    this.#change(this.watches().filter((watch) => watch.id !== id));
  }
  #open(watch: Extract<Watch, { kind: 'open-metrics' }>): void {
    const modal = this.#modals.open(WatchDialog, { size: 'lg', scrollable: true });
    (modal.componentInstance as WatchDialog).load(watch);
    modal.closed.subscribe((changed: Watch) => {
      const known = this.watches().some((watch) => watch.id === changed.id);
      this.#change(known ? this.watches().map((watch) => (watch.id === changed.id ? changed : watch)) : [...this.watches(), changed]);
    });
  }
  #change(watches: Watch[]): void {
    this.#store.dispatch(hostsActions.changed({ watches }));
  }
}
