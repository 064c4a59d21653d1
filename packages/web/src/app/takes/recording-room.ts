import { ChangeDetectionStrategy, Component, computed, inject, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Store } from '@ngrx/store';
import { projectFeature } from '../project/project';
import { ExchangeTable } from './exchange-table';
import { takesActions } from './takes.actions';
import { takesFeature } from './takes.feature';

/** Where a take is recorded: start and stop, where to point the browser, marks, and the exchanges as they come. */
@Component({
  selector: 'app-recording-room',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FormsModule, ExchangeTable],
  template: `<div class="room">
    <div class="page-head">
      <h1>Recording room</h1>
      @if (recording(); as live) {
        <span class="state on" role="status"
          ><i class="bi bi-record-fill" aria-hidden="true"></i>Recording {{ current()?.name }} · {{ live.exchangeCount }} exchanges</span
        >
      } @else {
        <span class="state" role="status">Not recording</span>
      }
      <span class="grow"></span>
      @if (recording()) {
        <button class="act main" (click)="stop()"><i class="bi bi-stop-fill" aria-hidden="true"></i>Stop and look at the take</button>
      }
    </div>
    @if (!recording()) {
      <form class="card-box pad start" (ngSubmit)="start()">
        <div class="fields">
          <label class="field wide"
            >What will you record?<input name="name" [(ngModel)]="name" placeholder="Book intake" autocomplete="off"
          /></label>
          <button class="act main" [disabled]="name.trim() === ''">
            <i class="bi bi-record-circle" aria-hidden="true"></i>Start recording
          </button>
        </div>
        <p class="muted small mb-0 mt-3">
          A proxy on this machine will pass everything on to {{ targets() }} and keep it. Other hosts are refused and listed here, so that
          nothing else gets into the take.
        </p>
      </form>
    } @else {
      <div class="tools">
        <section class="card-box pad">
          <h2>1 · Point a browser here</h2>
          <p class="mb-2">
            HTTP proxy <code class="proxy">{{ recording()?.proxy }}</code>
            <button class="act slim" (click)="copy()">
              <i class="bi bi-copy" aria-hidden="true"></i>{{ copied() ? 'Copied' : 'Copy' }}
            </button>
          </p>
          <div class="fields">
            <label class="field">Address to open<input name="address" [(ngModel)]="address" /></label>
            <button class="act" (click)="browser()"><i class="bi bi-window-plus" aria-hidden="true"></i>Open a clean browser</button>
          </div>
        </section>
        <section class="card-box pad">
          <h2>2 · Name what you do</h2>
          <div class="fields">
            <label class="field"
              >Transaction<input name="transaction" [(ngModel)]="transaction" [placeholder]="open() ?? 'Sign in'" (keydown.enter)="begin()"
            /></label>
            <button class="act" (click)="begin()" [disabled]="transaction.trim() === ''">Begin</button>
            <button class="act" (click)="end()" [disabled]="open() === null">End{{ open() ? ' ' + open() : '' }}</button>
          </div>
          <div class="fields mt-2">
            <label class="field">Comment<input name="comment" [(ngModel)]="comment" (keydown.enter)="note()" /></label>
            <button class="act" (click)="note()" [disabled]="comment.trim() === ''">Note it</button>
          </div>
        </section>
      </div>
      @if (refused().length > 0) {
        <p class="note warn">
          Refused, because the environment does not name them: {{ refused().join(', ') }}. Add a host to the environment if it belongs to
          the application.
        </p>
      }
      <div class="card-box list">
        <app-exchange-table [tail]="true" [exchanges]="exchanges()" [marks]="current()?.marks ?? []" />
        @if (exchanges().length === 0) {
          <div class="empty">Waiting for the first request. Set the proxy in a browser, then open {{ address }}.</div>
        }
      </div>
    }
  </div>`,
  styles: `
    .room {
      display: flex;
      flex-direction: column;
      height: 100%;
      padding: 14px 18px 18px;
      min-height: 0;
    }
    .state {
      display: inline-flex;
      gap: 7px;
      padding: 3px 12px;
      border-radius: 99px;
      background: var(--sunk);
      color: var(--ink-2);
      font-weight: 600;
    }
    .state.on {
      background: var(--clay-soft);
      color: var(--clay);
    }
    .start {
      max-width: 720px;
    }
    .wide {
      flex: 1;
    }
    .tools {
      display: grid;
      grid-template-columns: 1fr 1fr;
      gap: 12px;
      margin-bottom: 12px;
    }
    .tools h2 {
      margin-top: 0;
    }
    .tools .field {
      flex: 1;
    }
    .proxy {
      font-size: 14px;
      color: var(--ink);
      background: var(--sunk);
      padding: 2px 7px;
      border-radius: 5px;
    }
    .list {
      flex: 1;
      min-height: 180px;
      display: flex;
      flex-direction: column;
    }
  `,
})
export class RecordingRoom {
  readonly #store = inject(Store);
  readonly current = this.#store.selectSignal(takesFeature.selectCurrent);
  readonly exchanges = this.#store.selectSignal(takesFeature.selectExchanges);
  readonly refused = this.#store.selectSignal(takesFeature.selectRefusedHosts);
  readonly #live = this.#store.selectSignal(projectFeature.selectLive);
  readonly #environment = this.#store.selectSignal(projectFeature.selectEnvironment);
  readonly recording = computed(() => {
    const current = this.current();
    const live = this.#live().recording;
    if (live) return { proxy: live.proxy, exchangeCount: this.exchanges().length };
    const proxy = this.#proxy();
    return current?.state === 'recording' && proxy !== null ? { proxy, exchangeCount: this.exchanges().length } : null;
  });
  readonly #proxy = this.#store.selectSignal(takesFeature.selectProxy);
  readonly targets = computed(() => this.#environment()?.targets.join(', ') ?? 'the targets of the environment');
  /** The transaction that is open now. */
  readonly open = computed(() => {
    const last = (this.current()?.marks ?? []).filter((one) => one.kind !== 'comment').at(-1);
    return last?.kind === 'begin' ? last.text : null;
  });
  readonly copied = signal(false);
  name = '';
  transaction = '';
  comment = '';
  address = 'http://127.0.0.1:4701/';

  constructor() {
    const live = this.#live().recording;
    // After a reload the take that is being recorded is found again.
    if (live) this.#store.dispatch(takesActions.takeOpened({ id: live.takeId }));
  }

  start(): void {
    if (this.name.trim() !== '') this.#store.dispatch(takesActions.recordingWanted({ name: this.name.trim() }));
  }
  stop(): void {
    this.#store.dispatch(takesActions.stopWanted());
  }
  begin(): void {
    if (this.transaction.trim() === '') return;
    this.#store.dispatch(takesActions.markWanted({ kind: 'begin', text: this.transaction.trim() }));
    this.transaction = '';
  }
  end(): void {
    this.#store.dispatch(takesActions.markWanted({ kind: 'end', text: this.open() ?? 'Transaction' }));
  }
  note(): void {
    if (this.comment.trim() === '') return;
    this.#store.dispatch(takesActions.markWanted({ kind: 'comment', text: this.comment.trim() }));
    this.comment = '';
  }
  browser(): void {
    this.#store.dispatch(takesActions.browserWanted({ address: this.address }));
  }
  copy(): void {
    void navigator.clipboard.writeText(this.recording()?.proxy ?? '').then(() => {
      this.copied.set(true);
    });
  }
}
