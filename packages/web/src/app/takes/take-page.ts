import { ChangeDetectionStrategy, Component, computed, effect, inject, input, linkedSignal, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Router } from '@angular/router';
import { NgbDropdownModule } from '@ng-bootstrap/ng-bootstrap/dropdown';
import { Store } from '@ngrx/store';
import {
  causesOf,
  gestureWords,
  keptExchanges,
  unitsOf,
  usualTidy,
  type Exchange,
  type SearchHit,
  type Tidy,
  type TransactionStart,
} from '@sturdy/core';
import { EnvironmentDialogs } from '../environment/environment-dialogs';
import { moment } from '../shared/format';
import { SecretMask } from '../shared/secret-mask';
import { BesideView } from './beside-view';
import { ExchangeTable } from './exchange-table';
import { ExchangeViewer } from './exchange-viewer';
import { takesActions } from '../state/takes.actions';
import { takesFeature } from '../state/takes.feature';
import { GestureList } from './gesture-list';
import { ProposedTransactions } from './proposed-transactions';
import { TidyPanel } from './tidy-panel';
import { WhyNot } from '../shared/why-not';

type View = 'exchanges' | 'gestures' | 'tidy' | 'beside';

/** One take: its exchanges, what of them a script needs, and another take beside it. Its address says what is shown. */
@Component({
  selector: 'app-take-page',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [
    WhyNot,
    FormsModule,
    NgbDropdownModule,
    BesideView,
    ExchangeTable,
    ExchangeViewer,
    GestureList,
    ProposedTransactions,
    TidyPanel,
  ],
  template: `@if (take(); as shownTake) {
    <div class="frame" [class.wide]="shown() === 'beside' || !chosen()">
      <div class="main-side">
        <div class="page-head">
          <h1>{{ shownTake.name }}</h1>
          <span class="muted small">{{ moment(shownTake.startedAt) }} · {{ exchanges().length }} exchanges</span>
          <span class="grow"></span>
          <div ngbDropdown class="d-inline-block">
            <button class="act" ngbDropdownToggle><i class="bi bi-download" aria-hidden="true"></i>Export HAR</button>
            <div ngbDropdownMenu>
              <a ngbDropdownItem [href]="'/api/takes/' + shownTake.id + '/har'">with secrets masked</a>
              <a ngbDropdownItem [href]="'/api/takes/' + shownTake.id + '/har?secrets=shown'">with everything, as recorded</a>
            </div>
          </div>
          <form class="make" (ngSubmit)="makeScript()">
            <label class="field"
              ><span class="visually-hidden">Script name</span
              ><input
                name="name"
                aria-label="Script name"
                [ngModel]="chosenName() ?? shownTake.name"
                (ngModelChange)="chosenName.set($event)"
            /></label>
            <button
              class="act main"
              [whyNot]="survey() !== null && played() === 0 && 'No exchange of this take would be played. Keep some of what is left out.'"
            >
              <i class="bi bi-bezier2" aria-hidden="true"></i>Make a script
            </button>
          </form>
        </div>
        <div class="tabs" role="tablist" aria-label="Views of the take">
          <button
            role="tab"
            [class.on]="shown() === 'exchanges'"
            [attr.aria-selected]="shown() === 'exchanges'"
            (click)="go({ view: null })"
          >
            Exchanges
          </button>
          @if (gestureCount() > 0) {
            <button
              role="tab"
              [class.on]="shown() === 'gestures'"
              [attr.aria-selected]="shown() === 'gestures'"
              (click)="go({ view: 'gestures' })"
            >
              Gestures <span class="muted">{{ gestureCount() }}</span>
            </button>
          }
          <button role="tab" [class.on]="shown() === 'tidy'" [attr.aria-selected]="shown() === 'tidy'" (click)="go({ view: 'tidy' })">
            Tidy
            @if (survey(); as known) {
              <span class="muted"
                >{{ played() }} {{ played() === 1 ? 'step' : 'steps' }} of {{ exchanges().length }} exchanges{{
                  known.findings.length > 0 ? ', ' + known.findings.length + ' to look at' : ''
                }}</span
              >
            }
          </button>
          <button role="tab" [class.on]="shown() === 'beside'" [attr.aria-selected]="shown() === 'beside'" (click)="go({ view: 'beside' })">
            Beside another take
          </button>
        </div>
        @switch (shown()) {
          @case ('exchanges') {
            <div class="search">
              <label class="field"
                ><span class="visually-hidden">Search the whole take</span
                ><input
                  type="search"
                  placeholder="Search everything: headers and bodies too"
                  [value]="q() ?? ''"
                  #box
                  (input)="go({ q: box.value || null })"
              /></label>
              @if (search(); as done) {
                @if (q()) {
                  <span class="muted small"
                    >{{ done.hits.length }}{{ done.more ? ' and more' : '' }} {{ done.hits.length === 1 ? 'place' : 'places' }} with “{{
                      done.text
                    }}”</span
                  >
                }
              }
            </div>
            @if (q() && search()?.hits?.length) {
              <ul class="hits card-box" aria-label="Hits">
                @for (hit of search()?.hits ?? []; track $index) {
                  <li>
                    <button [class.on]="hit.exchange === chosen()?.n" (click)="openHit(hit)">
                      <span class="muted"
                        >no. {{ hit.exchange }}, {{ hit.where }}{{ hit.count > 1 ? ', ' + hit.count + ' times' : '' }}</span
                      >
                      <span class="mono"
                        >…{{ mask.text(hit.before) }}<mark>{{ hit.found }}</mark
                        >{{ mask.text(hit.after) }}…</span
                      >
                    </button>
                  </li>
                }
              </ul>
            }
            <div class="card-box list">
              <app-exchange-table
                [exchanges]="exchanges()"
                [marks]="shownTake.marks"
                [dimmed]="dimmed()"
                [selected]="chosen()?.n ?? null"
                (selectedChange)="go({ exchange: $event })"
              />
            </div>
          }
          @case ('gestures') {
            <app-gesture-list class="side-panel" [take]="shownTake" [exchanges]="exchanges()" (shown)="go({ exchange: $event })" />
          }
          @case ('tidy') {
            @if (survey(); as known) {
              <app-tidy-panel
                class="side-panel"
                [survey]="known"
                [tidy]="tidy()"
                (tidyChange)="tidy.set($event)"
                (shown)="go({ exchange: $event })"
                (environment)="dialogs.open()"
              >
                @if (starts().length > 0) {
                  <app-proposed-transactions [starts]="starts()" (startsChange)="starts.set($event)" (shown)="go({ exchange: $event })" />
                }
              </app-tidy-panel>
            } @else {
              <p class="muted pad">Examining the take…</p>
            }
          }
          @case ('beside') {
            <app-beside-view
              class="side-panel"
              [first]="shownTake"
              [exchanges]="exchanges()"
              [takes]="otherTakes()"
              [other]="besideTake()?.other ?? null"
              [otherExchanges]="besideTake()?.exchanges ?? []"
              [rows]="besideTake()?.rows ?? []"
              (chosen)="go({ other: $event || null })"
            />
          }
        }
      </div>
      @if (chosen() && view() !== 'beside') {
        <aside class="drawer" aria-label="Exchange">
          @if (cause(); as gesture) {
            <button class="cause small" (click)="go({ view: 'gestures' })">
              Followed from gesture {{ gesture.n }}: {{ words(gesture) }}
            </button>
          }
          <app-exchange-viewer [takeId]="shownTake.id" [exchange]="chosen()!" [sought]="q() ?? ''" [(pinned)]="pinned" />
        </aside>
      }
    </div>
  }`,
  styles: `
    .frame {
      display: grid;
      grid-template-columns: minmax(0, 1fr) 430px;
      height: 100%;
    }
    .frame.wide {
      grid-template-columns: minmax(0, 1fr);
    }
    .main-side {
      display: flex;
      flex-direction: column;
      min-width: 0;
      min-height: 0;
      padding: 14px 18px;
    }
    .make {
      display: flex;
      gap: 8px;
    }
    .make input {
      width: 170px;
    }
    .tabs {
      padding: 0;
      margin-bottom: 10px;
      flex: none;
    }
    .tabs .muted {
      font-size: 12px;
      margin-left: 4px;
    }
    .search {
      display: flex;
      gap: 12px;
      align-items: center;
      margin-bottom: 8px;
    }
    .search .field {
      flex: 0 1 420px;
    }
    .hits {
      list-style: none;
      margin: 0 0 8px;
      padding: 4px;
      max-height: 170px;
      overflow: auto;
      flex: none;
    }
    .hits button {
      width: 100%;
      border: 0;
      background: none;
      color: var(--ink);
      text-align: left;
      padding: 3px 8px;
      display: grid;
      grid-template-columns: 210px 1fr;
      gap: 8px;
      font-size: 12.5px;
    }
    .hits button.on {
      background: var(--clay-soft);
    }
    .hits .mono {
      overflow: hidden;
      text-overflow: ellipsis;
      white-space: nowrap;
    }
    .hits mark {
      background: var(--ochre-soft);
      color: inherit;
      padding: 0;
    }
    .list,
    .side-panel {
      flex: 1;
      min-height: 0;
    }
    .cause {
      display: block;
      width: 100%;
      padding: 7px 14px;
      border: 0;
      border-bottom: 1px solid var(--line);
      background: var(--ochre-soft);
      color: var(--ink);
      text-align: left;
    }
    .drawer {
      border-left: 1px solid var(--line);
      background: var(--surface);
      min-height: 0;
      min-width: 0;
    }
  `,
})
export class TakePage {
  readonly #store = inject(Store);
  readonly #router = inject(Router);
  readonly dialogs = inject(EnvironmentDialogs);
  readonly mask = inject(SecretMask);
  readonly id = input.required<string>();
  /** From the address: what is shown, which exchange, what is searched, and which take stands beside it. */
  readonly view = input<string>();
  readonly exchange = input<string>();
  readonly q = input<string>();
  readonly other = input<string>();
  readonly take = this.#store.selectSignal(takesFeature.selectCurrent);
  readonly exchanges = this.#store.selectSignal(takesFeature.selectExchanges);
  readonly survey = this.#store.selectSignal(takesFeature.selectSurvey);
  readonly search = this.#store.selectSignal(takesFeature.selectSearch);
  readonly besideTake = this.#store.selectSignal(takesFeature.selectBeside);
  readonly #takes = this.#store.selectSignal(takesFeature.selectAll);
  readonly shown = computed((): View => {
    const view = this.view();
    return view === 'tidy' || view === 'beside' || (view === 'gestures' && this.gestureCount() > 0) ? view : 'exchanges';
  });
  readonly gestureCount = computed(() => this.take()?.gestures?.length ?? 0);
  /** The gesture that the chosen exchange followed from. */
  readonly cause = computed(() => {
    const [gestures, exchange] = [this.take()?.gestures ?? [], this.chosen()];
    const n = exchange && causesOf(gestures, [exchange]).get(exchange.n);
    return gestures.find((gesture) => gesture.n === n);
  });
  readonly words = gestureWords;
  readonly chosen = computed(() => this.exchanges().find((exchange) => exchange.n === Number(this.exchange() ?? 0)) ?? null);
  readonly otherTakes = computed(() => this.#takes().filter((take) => take.id !== this.id()));
  readonly pinned = signal<Exchange | null>(null);
  /** The choices: the survey's proposal until the tester changes it. */
  readonly tidy = linkedSignal((): Tidy => this.survey()?.proposal ?? usualTidy);
  readonly #kept = computed(() => (this.survey() ? keptExchanges(this.exchanges(), this.tidy()) : this.exchanges()));
  readonly played = computed(() => (this.survey() ? unitsOf(this.exchanges(), this.tidy(), this.take()?.marks).length : 0));
  readonly dimmed = computed((): ReadonlySet<number> => {
    const kept = new Set(this.#kept().map((exchange) => exchange.n));
    return new Set(this.exchanges().flatMap((exchange) => (kept.has(exchange.n) ? [] : [exchange.n])));
  });
  readonly chosenName = signal<string | null>(null);
  readonly starts = linkedSignal((): readonly TransactionStart[] => this.survey()?.transactions ?? []);
  readonly moment = moment;

  constructor() {
    effect(() => {
      void this.mask.look(this.id(), [], []);
    });
    effect(() => {
      this.#store.dispatch(takesActions.takeOpened({ id: this.id() }));
      this.#store.dispatch(takesActions.listAsked());
    });
    effect(() => {
      const take = this.take();
      if (take?.id === this.id() && take.state === 'done' && this.survey() === null)
        this.#store.dispatch(takesActions.surveyAsked({ id: take.id }));
    });
    effect(() => {
      this.#store.dispatch(takesActions.searchAsked({ id: this.id(), text: this.q() ?? '' }));
    });
    effect(() => {
      const otherId = this.other();
      if (otherId !== undefined && this.take()?.id === this.id())
        this.#store.dispatch(takesActions.besideAsked({ id: this.id(), otherId }));
    });
  }

  go(queryParams: Record<string, string | number | null>): void {
    void this.#router.navigate([], { queryParams, queryParamsHandling: 'merge', replaceUrl: true });
  }

  openHit(hit: SearchHit): void {
    this.go({ exchange: hit.exchange });
  }

  makeScript(): void {
    const take = this.take();
    if (!take) return;
    const name = (this.chosenName() ?? take.name).trim() || take.name;
    this.#store.dispatch(
      takesActions.scriptWanted({
        takeId: take.id,
        options: { name, tidy: this.survey() ? this.tidy() : null, transactions: this.survey() ? [...this.starts()] : null },
      }),
    );
  }
}
