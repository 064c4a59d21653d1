import { ChangeDetectionStrategy, Component, computed, effect, inject, input, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Store } from '@ngrx/store';
import { isStaticFile } from '@sturdy/core';
import { figure, moment } from '../shared/format';
import { BodyView } from './body-view';
import { ExchangeTable } from './exchange-table';
import { HeaderList } from './header-list';
import { takesActions } from './takes.actions';
import { takesFeature } from './takes.feature';

/** One take: its exchanges, one exchange in full, what is tidied away, and the script made from it. */
@Component({
  selector: 'app-take-page',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FormsModule, ExchangeTable, HeaderList, BodyView],
  template: `@if (take(); as own) {
    <div class="frame">
      <div class="main-side">
        <div class="page-head">
          <h1>{{ own.name }}</h1>
          <span class="muted small"
            >{{ moment(own.startedAt) }} · {{ exchanges().length }} exchanges, {{ staticCount() }} of them static files</span
          >
          <span class="grow"></span>
          <a class="act" [href]="'/api/takes/' + own.id + '/har'"><i class="bi bi-download" aria-hidden="true"></i>Export HAR</a>
        </div>
        <form class="card-box pad tidy" (ngSubmit)="makeScript()">
          <div class="hosts">
            <b class="small">Hosts that stay</b>
            @for (host of hosts(); track host.origin) {
              <label class="small"
                ><input type="checkbox" [name]="host.origin" [ngModel]="!left().has(host.origin)" (ngModelChange)="toggle(host.origin)" />
                <span class="mono">{{ host.origin }}</span> <span class="muted">{{ host.count }} requests</span></label
              >
            }
            <label class="small"
              ><input type="checkbox" name="static" [(ngModel)]="keepStatic" /> static files (styles, scripts, images)</label
            >
          </div>
          <div class="fields">
            <label class="field"
              >Longest pause kept, s<input type="number" name="pause" min="0" max="600" [(ngModel)]="pauseSeconds" style="width: 90px"
            /></label>
            <label class="field"
              >Script name<input name="name" [ngModel]="chosenName() ?? own.name" (ngModelChange)="chosenName.set($event)"
            /></label>
            <button class="act main"><i class="bi bi-bezier2" aria-hidden="true"></i>Make a script</button>
          </div>
        </form>
        <div class="card-box list"><app-exchange-table [exchanges]="exchanges()" [marks]="own.marks" [(selected)]="selected" /></div>
      </div>
      <aside class="drawer" aria-label="Exchange">
        @if (exchange(); as one) {
          <div class="pad">
            <b class="mono">{{ one.method }} {{ one.url }}</b>
          </div>
          <div class="tabs" role="tablist">
            @for (tab of tabs; track tab) {
              <button role="tab" [class.on]="tabNow() === tab" [attr.aria-selected]="tabNow() === tab" (click)="tabNow.set(tab)">
                {{ tab }}
              </button>
            }
          </div>
          <div class="pad scroll" tabindex="0" role="region" aria-label="Details of the exchange">
            @switch (tabNow()) {
              @case ('Request') {
                <app-header-list [headers]="one.requestHeaders" />
                <app-body-view [body]="one.requestBody" />
              }
              @case ('Response') {
                @if (one.response; as response) {
                  <p class="mb-2">
                    <b>{{ response.status }}</b> {{ response.statusText }}
                  </p>
                  <app-header-list [headers]="response.headers" />
                  <app-body-view [body]="response.body" />
                } @else {
                  <p class="note bad">{{ one.failure }}</p>
                }
              }
              @case ('Timings') {
                <table class="grid">
                  <tbody>
                    @for (phase of phases; track phase) {
                      <tr>
                        <td>{{ phase }}</td>
                        <td class="num">{{ one.timings[phase] < 0 ? 'not measured' : figure(one.timings[phase], 1) + ' ms' }}</td>
                      </tr>
                    }
                    <tr>
                      <td><b>in all</b></td>
                      <td class="num">
                        <b>{{ figure(one.durationMs, 1) }} ms</b>
                      </td>
                    </tr>
                  </tbody>
                </table>
              }
            }
          </div>
        } @else {
          <div class="empty">Choose an exchange to see what was sent and what came back.</div>
        }
      </aside>
    </div>
  }`,
  styles: `
    .frame {
      display: grid;
      grid-template-columns: 1fr 400px;
      height: 100%;
    }
    .main-side {
      display: flex;
      flex-direction: column;
      min-width: 0;
      min-height: 0;
      padding: 14px 18px;
    }
    .list {
      flex: 1;
      min-height: 0;
    }
    .tidy {
      display: flex;
      gap: 18px;
      justify-content: space-between;
      margin-bottom: 12px;
      flex-wrap: wrap;
      align-items: end;
    }
    .hosts {
      display: grid;
      gap: 3px;
    }
    .hosts label {
      display: flex;
      gap: 6px;
      align-items: center;
    }
    .drawer {
      border-left: 1px solid var(--line);
      background: var(--surface);
      display: flex;
      flex-direction: column;
      min-height: 0;
      overflow-wrap: anywhere;
    }
    .scroll {
      overflow: auto;
    }
  `,
})
export class TakePage {
  readonly #store = inject(Store);
  readonly id = input.required<string>();
  readonly take = this.#store.selectSignal(takesFeature.selectCurrent);
  readonly exchanges = this.#store.selectSignal(takesFeature.selectExchanges);
  readonly selected = signal<number | null>(null);
  readonly exchange = computed(() => this.exchanges().find((one) => one.n === this.selected()));
  readonly staticCount = computed(() => this.exchanges().filter(isStaticFile).length);
  readonly hosts = computed(() => {
    const counts = new Map<string, number>();
    for (const one of this.exchanges()) {
      const { origin } = new URL(one.url);
      counts.set(origin, (counts.get(origin) ?? 0) + 1);
    }
    return [...counts].map(([origin, count]) => ({ origin, count }));
  });
  readonly left = signal<ReadonlySet<string>>(new Set());
  readonly chosenName = signal<string | null>(null);
  readonly tabs = ['Request', 'Response', 'Timings'] as const;
  readonly tabNow = signal<'Request' | 'Response' | 'Timings'>('Response');
  readonly phases = ['blocked', 'dns', 'connect', 'tls', 'send', 'wait', 'receive'] as const;
  readonly figure = figure;
  readonly moment = moment;
  keepStatic = false;
  pauseSeconds = 10;

  constructor() {
    effect(() => {
      this.#store.dispatch(takesActions.takeOpened({ id: this.id() }));
    });
  }

  toggle(origin: string): void {
    const next = new Set(this.left());
    if (!next.delete(origin)) next.add(origin);
    this.left.set(next);
  }

  makeScript(): void {
    const take = this.take();
    if (!take) return;
    this.#store.dispatch(
      takesActions.scriptWanted({
        takeId: take.id,
        options: {
          name: (this.chosenName() ?? take.name).trim() || take.name,
          origins: this.hosts()
            .map((one) => one.origin)
            .filter((one) => !this.left().has(one)),
          keepStaticFiles: this.keepStatic,
          longestPauseMs: this.pauseSeconds * 1000,
        },
      }),
    );
  }
}
