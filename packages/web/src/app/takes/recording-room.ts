import { ChangeDetectionStrategy, Component, computed, inject, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Store } from '@ngrx/store';
import { answerBody } from '@sturdy/core';
import { EnvironmentDialogs } from '../environment/environment-dialogs';
import { ProductionSign } from '../environment/production-sign';
import { projectFeature } from '../state/project.feature';
import { bytes } from '../shared/format';
import { BrowserCard } from './browser-card';
import { ExchangeTable } from './exchange-table';
import { ExchangeViewer } from './exchange-viewer';
import { MarkCard } from './mark-card';
import { takesActions } from '../state/takes.actions';
import { takesFeature } from '../state/takes.feature';
import { WhyNot } from '../shared/why-not';

/** Where a take is recorded: start, pause and stop, where to point the browser, marks, warnings, and the exchanges as they come. */
@Component({
  selector: 'app-recording-room',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [ProductionSign, WhyNot, FormsModule, BrowserCard, ExchangeTable, ExchangeViewer, MarkCard],
  host: { '(document:keydown)': 'key($event)' },
  template: `<div class="room">
    <div class="page-head">
      <h1>Recording room</h1>
      @if (recording(); as live) {
        <span class="state" [class.on]="!paused()" role="status"
          ><i class="bi" [class.bi-record-fill]="!paused()" [class.bi-pause-fill]="paused()" aria-hidden="true"></i
          >{{ paused() ? 'Paused' : 'Recording' }} {{ current()?.name }} · {{ exchanges().length }}
          {{ exchanges().length === 1 ? 'exchange' : 'exchanges' }}</span
        >
        <span class="muted small"
          >{{ bytes(totals().bytes) }} · {{ totals().failed }} failed · {{ totals().transactions }} transactions</span
        >
      } @else {
        <span class="state" role="status">Not recording</span>
      }
      <span class="grow"></span>
      @if (recording()) {
        <button class="act" (click)="pause()" title="P">
          <i class="bi" [class.bi-pause-fill]="!paused()" [class.bi-play-fill]="paused()" aria-hidden="true"></i
          >{{ paused() ? 'Resume' : 'Pause' }}
        </button>
        @if (discarding()) {
          <label class="discard small"
            >Discard the last
            <input type="number" min="1" [max]="exchanges().length" [(ngModel)]="discardCount" aria-label="How many exchanges" />
            exchanges</label
          >
          <button class="act danger" (click)="discard()">Discard them</button>
          <button class="act" (click)="discarding.set(false)">Keep</button>
        } @else {
          <button class="act" (click)="discarding.set(true)" [whyNot]="exchanges().length === 0 && 'Nothing is recorded yet.'" title="D">
            <i class="bi bi-eraser" aria-hidden="true"></i>Discard the last…
          </button>
        }
        <button class="act main" (click)="stop()"><i class="bi bi-stop-fill" aria-hidden="true"></i>Stop and look at the take</button>
      }
    </div>
    @if (!recording()) {
      <form class="card-box pad start" (ngSubmit)="start()">
        <div class="fields">
          <label class="field wide"
            >What will you record?<input
              name="name"
              [ngModel]="name()"
              (ngModelChange)="written.set($event)"
              placeholder="Book intake"
              autocomplete="off"
          /></label>
          <app-production-sign [environment]="environment()" />
          <button class="act main" [whyNot]="name().trim() === '' && 'Name the take first.'">
            <i class="bi bi-record-circle" aria-hidden="true"></i>Start recording
          </button>
        </div>
        <label class="small mt-2 network"
          ><input type="checkbox" name="network" [(ngModel)]="forNetwork" /> let phones and other machines of this network record too, with
          a password</label
        >
        <p class="muted small mb-0 mt-2">
          A proxy on this machine will pass everything on to {{ targets() }} and keep it: HTTP and HTTPS, HTTP/2, WebSockets. Other hosts
          are refused and listed here, so that nothing else gets into the take.
        </p>
      </form>
    } @else {
      <div class="tools">
        <app-browser-card [live]="recording()!" />
        <app-mark-card [open]="open()" [suggestions]="suggestions()" (mark)="mark($event.kind, $event.text)" />
      </div>
      @if (warnings().length > 0) {
        <ul class="warnings" aria-label="Warnings" aria-live="polite">
          @for (warning of warnings(); track $index) {
            <li class="note warn">
              <span>{{ warning.text }}</span>
              @if (warning.kind === 'refused-host' || warning.kind === 'certificate' || warning.kind === 'connection-sign-in') {
                <button class="act slim" (click)="dialogs.open(warning.kind === 'refused-host' ? warning.about : undefined)">
                  Open the environment
                </button>
              } @else if (warning.exchange !== null) {
                <button class="act slim" (click)="selected.set(warning.exchange)">Show no. {{ warning.exchange }}</button>
              }
            </li>
          }
        </ul>
      }
      <div class="card-box list">
        <label class="tail small"><input type="checkbox" [ngModel]="tail()" (ngModelChange)="tail.set($event)" /> follow the newest</label>
        <div class="both" [class.split]="chosen()">
          <app-exchange-table [tail]="tail()" [exchanges]="exchanges()" [marks]="current()?.marks ?? []" [(selected)]="selected" />
          @if (chosen(); as chosenExchange) {
            <aside aria-label="Exchange">
              <button class="btn-close close" aria-label="Close the exchange" (click)="selected.set(null)"></button>
              <app-exchange-viewer [takeId]="current()?.id ?? ''" [exchange]="chosenExchange" />
            </aside>
          }
        </div>
        @if (exchanges().length === 0) {
          <div class="empty">Waiting for the first request. Open the clean browser above, or set the proxy in another one.</div>
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
      max-width: 760px;
    }
    .wide {
      flex: 1;
    }
    .network,
    .tail,
    .discard {
      display: flex;
      align-items: center;
      gap: 4px;
    }
    .discard input {
      width: 64px;
    }
    .tail {
      padding: 4px 12px 0;
    }
    .tools {
      display: grid;
      grid-template-columns: 1fr 1fr;
      gap: 12px;
      margin-bottom: 10px;
      align-items: start;
    }
    .warnings {
      list-style: none;
      margin: 0 0 4px;
      padding: 0;
      max-height: 132px;
      overflow: auto;
      flex: none;
    }
    .warnings .note {
      display: flex;
      gap: 12px;
      justify-content: space-between;
      align-items: start;
      margin-bottom: 5px;
      padding: 6px 10px;
    }
    .both {
      flex: 1;
      min-height: 0;
      display: grid;
      grid-template-columns: minmax(0, 1fr);
      grid-template-rows: minmax(0, 1fr);
    }
    .both.split {
      grid-template-columns: minmax(0, 1fr) 430px;
    }
    aside {
      border-left: 1px solid var(--line);
      position: relative;
      min-height: 0;
    }
    .close {
      position: absolute;
      right: 8px;
      top: 8px;
      z-index: 1;
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
  readonly dialogs = inject(EnvironmentDialogs);
  readonly current = this.#store.selectSignal(takesFeature.selectCurrent);
  readonly exchanges = this.#store.selectSignal(takesFeature.selectExchanges);
  readonly #live = this.#store.selectSignal(projectFeature.selectRecordingHere);
  readonly environment = this.#store.selectSignal(projectFeature.selectEnvironment);
  readonly #proxy = this.#store.selectSignal(takesFeature.selectProxy);
  readonly #suggested = this.#store.selectSignal(takesFeature.selectSuggestions);
  readonly recording = computed(() => {
    const live = this.#live();
    if (live) return live;
    const proxy = this.#proxy();
    const current = this.current();
    // Between the start and the next look at what is live.
    return current && current.state !== 'done' && proxy !== null ? { proxy, network: null, visitors: [] } : null;
  });
  readonly paused = computed(() => this.current()?.state === 'paused');
  readonly warnings = computed(() => [...(this.current()?.warnings ?? [])].reverse());
  readonly suggestions = computed(() => (this.#suggested().length > 0 ? this.#suggested() : (this.#live()?.suggestions ?? [])));
  readonly targets = computed(() => listed(this.environment()?.targets ?? []));
  /** The transaction that is open now. */
  readonly open = computed(() => {
    const last = (this.current()?.marks ?? []).filter((mark) => mark.kind === 'begin' || mark.kind === 'end').at(-1);
    return last?.kind === 'begin' ? last.text : null;
  });
  readonly totals = computed(() => ({
    bytes: this.exchanges().reduce((sum, exchange) => sum + (answerBody(exchange)?.wholeSize ?? answerBody(exchange)?.size ?? 0), 0),
    failed: this.exchanges().filter(
      (exchange) => exchange.kind === 'request' && (exchange.failure !== null || (exchange.response?.status ?? 0) >= 400),
    ).length,
    transactions: (this.current()?.marks ?? []).filter((mark) => mark.kind === 'begin').length,
  }));
  readonly bytes = bytes;
  readonly selected = signal<number | null>(null);
  readonly chosen = computed(() => this.exchanges().find((exchange) => exchange.n === this.selected()) ?? null);
  readonly tail = signal(true);
  readonly discarding = signal(false);
  discardCount = 1;
  /** What was written as the name of the next take; null until something is. */
  readonly written = signal<string | null>(null);
  readonly #takes = this.#store.selectSignal(takesFeature.selectAll);
  /** The name of the next take: what was written, or a free one. */
  readonly name = computed(() => this.written() ?? freeName(this.#takes().map(({ name }) => name)));
  forNetwork = false;

  constructor() {
    this.#store.dispatch(takesActions.listAsked());
    const live = this.#live();
    // After a reload the take that is being recorded is found again.
    if (live) this.#store.dispatch(takesActions.takeOpened({ id: live.takeId }));
  }

  /** Keys for when the eyes are on the other window; they do nothing while something is typed. */
  key(event: KeyboardEvent): void {
    if (!this.recording() || event.ctrlKey || event.metaKey || event.altKey || isTyping(event)) return;
    const [suggestion] = this.suggestions();
    const count = (this.current()?.marks ?? []).filter((mark) => mark.kind === 'begin').length + 1;
    const acts: Record<string, () => void> = {
      b: () => {
        this.mark('begin', suggestion ?? `Transaction ${count}`);
      },
      e: () => {
        const open = this.open();
        if (open !== null) this.mark('end', open);
      },
      p: () => {
        this.pause();
      },
      d: () => {
        this.discarding.set(this.exchanges().length > 0);
      },
    };
    const act = acts[event.key.toLowerCase()];
    if (!act) return;
    event.preventDefault();
    act();
  }

  start(): void {
    const name = this.name().trim();
    if (name !== '') this.#store.dispatch(takesActions.recordingWanted({ options: { name, forNetwork: this.forNetwork } }));
  }
  stop(): void {
    this.#store.dispatch(takesActions.stopWanted());
  }
  pause(): void {
    this.#store.dispatch(takesActions.pauseWanted({ paused: !this.paused() }));
  }
  discard(): void {
    this.#store.dispatch(takesActions.discardWanted({ count: Math.max(1, Math.round(this.discardCount)) }));
    this.discarding.set(false);
  }
  mark(kind: 'begin' | 'end' | 'comment', text: string): void {
    this.#store.dispatch(takesActions.markWanted({ kind, text }));
  }
}

/** A name for a take that none has yet: “Take 3”. */
export function freeName(taken: readonly string[]): string {
  let number = taken.length + 1;
  while (taken.includes(`Take ${number}`)) number++;
  return `Take ${number}`;
}

const isTyping = (event: KeyboardEvent): boolean =>
  event.target instanceof HTMLElement && event.target.closest('input, textarea, select, [contenteditable]') !== null;

const listed = (targets: readonly string[]): string => (targets.length === 0 ? 'the targets of the environment' : targets.join(', '));
