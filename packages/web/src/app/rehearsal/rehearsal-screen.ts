import { ChangeDetectionStrategy, Component, computed, inject, input, signal } from '@angular/core';
import { RouterLink } from '@angular/router';
import { Store } from '@ngrx/store';
import { answerOf, requestSteps } from '@sturdy/core';
import { figure, moment } from '../shared/format';
import { VerdictShape } from '../shared/verdict-shape';
import { BodyView } from '../takes/body-view';
import { HeaderList } from '../takes/header-list';
import { takesFeature } from '../takes/takes.feature';
import { loadScriptOf } from '../scripts/script-of-address';
import { scriptsActions } from '../scripts/scripts.actions';
import { scriptsFeature } from '../scripts/scripts.feature';

/** Recorded beside replayed: verdicts of all steps, the first divergence with its sentence, the chosen step in full. */
@Component({
  selector: 'app-rehearsal-screen',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [RouterLink, VerdictShape, HeaderList, BodyView],
  template: `@if (script(); as own) {
    <div class="frame">
      <div class="top">
        <div class="page-head mb-2">
          <h1>Rehearsal of {{ own.name }}</h1>
          @if (rehearsals().length > 0) {
            <label class="small muted"
              >Rehearsal
              <select #which class="pick" (change)="chosen.set(which.value)">
                @for (one of rehearsals(); track one.id) {
                  <option [value]="one.id" [selected]="one.id === rehearsal()?.id">
                    {{ one.number }}: {{ one.verdict }}, {{ moment(one.startedAt) }}
                  </option>
                }
              </select></label
            >
          }
          <span class="grow"></span>
          <a class="act" [routerLink]="['/scripts', own.id]"><i class="bi bi-bezier2" aria-hidden="true"></i>Back to the script</a>
          <button class="act" (click)="repair()" [disabled]="busy() !== null">
            <i class="bi bi-tools" aria-hidden="true"></i>Rehearse and repair
          </button>
          <button class="act main" (click)="rehearse()" [disabled]="busy() !== null">
            <i class="bi bi-play-fill" aria-hidden="true"></i>Rehearse again
          </button>
        </div>
        @if (busy(); as what) {
          <p class="note mb-2" role="status">
            <span class="spinner-border spinner-border-sm me-2" aria-hidden="true"></span>{{ what }} · {{ played() }} steps played
          </p>
        }
        @if (rehearsal()?.divergence; as why) {
          <div class="note bad mb-2">
            <b>First divergence.</b> {{ why.sentence }}<br /><span class="muted">{{ why.advice }}</span>
          </div>
        } @else if (rehearsal()) {
          <div class="note good mb-2">
            <b>It passed.</b> All {{ rehearsal()?.steps?.length }} steps answered like the take, and nothing was sent stale.
            @if (rehearsal()?.rows?.length) {
              Row {{ rehearsal()?.rows?.[0]?.row }} of the data was spent.
            }
          </div>
        } @else if (busy() === null) {
          <div class="note mb-2">
            Not rehearsed yet. One virtual user will play the script once; that makes real records in the application.
          </div>
        }
      </div>
      @if (rehearsal(); as result) {
        <nav class="steps" aria-label="Steps">
          @for (one of result.steps; track one.step) {
            <button [class.on]="one.step === selected()" (click)="step.set(one.step)">
              <app-verdict [verdict]="one.verdict" /><span class="muted">{{ one.number }}</span
              ><span class="mono name">{{ nameOf(one.step) }}</span>
            </button>
          }
        </nav>
        <div class="compare" tabindex="0" role="region" aria-label="Recorded beside replayed">
          @for (reason of current()?.reasons ?? []; track $index) {
            <p class="note warn full">{{ reason }}</p>
          }
          <section class="card-box pad">
            <h2>Recorded</h2>
            @if (exchange(); as take) {
              <p class="mb-2">
                <b>{{ take.response?.status ?? 'no answer' }}</b> {{ take.response?.statusText }}
                <span class="muted">in {{ figure(take.durationMs) }} ms</span>
              </p>
              <details>
                <summary>Headers</summary>
                <app-header-list [headers]="take.response?.headers ?? []" />
              </details>
              <app-body-view [body]="take.response?.body ?? null" />
            } @else {
              <p class="muted">Not in the take.</p>
            }
          </section>
          <section class="card-box pad">
            <h2>Replayed</h2>
            @if (current()?.captured; as now) {
              <p class="mb-2">
                <b>{{ now.response?.status ?? 'no answer' }}</b> {{ now.response?.statusText }}
                <span class="muted">in {{ figure(now.durationMs) }} ms</span>
              </p>
              @if (now.failure) {
                <p class="note bad">{{ now.failure }}</p>
              }
              <details>
                <summary>Headers</summary>
                <app-header-list [headers]="now.response?.headers ?? []" />
              </details>
              <app-body-view [body]="now.response?.body ?? null" />
            } @else {
              <p class="muted">This step was not sent.</p>
            }
          </section>
          <section class="card-box pad">
            <h2>Sent in the take</h2>
            @if (exchange(); as take) {
              <p class="mono">{{ take.method }} {{ take.url }}</p>
              <app-body-view [body]="take.requestBody" />
            }
          </section>
          <section class="card-box pad">
            <h2>Sent now</h2>
            @if (current()?.captured; as now) {
              <p class="mono">{{ now.request.method }} {{ now.request.url }}</p>
              <app-body-view [body]="now.request.body" />
            }
          </section>
        </div>
      }
    </div>
  }`,
  styles: `
    .frame {
      display: grid;
      grid-template: auto 1fr / 290px 1fr;
      height: 100%;
    }
    .top {
      grid-column: 1 / -1;
      padding: 14px 18px 4px;
    }
    .pick {
      background: var(--surface);
      color: var(--ink);
      border: 1px solid var(--line-strong);
      border-radius: 6px;
      padding: 3px 7px;
    }
    .steps {
      overflow: auto;
      padding: 4px 0 12px 12px;
      border-right: 1px solid var(--line);
    }
    .steps button {
      display: grid;
      grid-template-columns: 18px 24px 1fr;
      gap: 4px;
      align-items: center;
      width: 100%;
      border: 0;
      background: none;
      color: var(--ink);
      text-align: left;
      padding: 5px 8px;
      border-radius: 6px 0 0 6px;
    }
    .steps .on {
      background: var(--clay-soft);
    }
    .name {
      white-space: nowrap;
      overflow: hidden;
      text-overflow: ellipsis;
    }
    .compare {
      overflow: auto;
      padding: 4px 18px 20px 14px;
      display: grid;
      grid-template-columns: 1fr 1fr;
      gap: 12px;
      align-content: start;
    }
    .compare section {
      min-width: 0;
    }
    .compare h2 {
      margin-top: 0;
    }
    .full {
      grid-column: 1 / -1;
      margin: 0;
    }
    p.mono {
      overflow-wrap: anywhere;
    }
    summary {
      color: var(--ink-2);
      font-size: 12.5px;
      margin-bottom: 6px;
    }
  `,
})
export class RehearsalScreen {
  readonly #store = inject(Store);
  readonly id = input.required<string>();
  readonly script = this.#store.selectSignal(scriptsFeature.selectCurrent);
  readonly rehearsals = this.#store.selectSignal(scriptsFeature.selectRehearsals);
  readonly busy = this.#store.selectSignal(scriptsFeature.selectBusy);
  readonly played = this.#store.selectSignal(scriptsFeature.selectPlayed);
  readonly #exchanges = this.#store.selectSignal(takesFeature.selectExchanges);
  readonly chosen = signal<string | null>(null);
  readonly step = signal<string | null>(null);
  readonly rehearsal = computed(() => this.rehearsals().find((one) => one.id === this.chosen()) ?? this.rehearsals()[0]);
  /** The chosen step; at first the one where the rehearsal left the take. */
  readonly selected = computed(() => this.step() ?? this.rehearsal()?.divergence?.step ?? this.rehearsal()?.steps[0]?.step ?? null);
  readonly current = computed(() => this.rehearsal()?.steps.find((one) => one.step === this.selected()));
  readonly #requests = computed(() => {
    const script = this.script();
    return new Map(script ? requestSteps(script).map(({ step }) => [step.id, step]) : []);
  });
  readonly exchange = computed(() => {
    const step = this.#requests().get(this.selected() ?? '');
    const n = step && answerOf(step);
    return n == null ? undefined : this.#exchanges().find((one) => one.n === n);
  });
  readonly figure = figure;
  readonly moment = moment;

  constructor() {
    loadScriptOf(this.id);
  }

  nameOf(step: string): string {
    return this.#requests().get(step)?.name ?? step;
  }
  rehearse(): void {
    this.chosen.set(null);
    this.step.set(null);
    this.#store.dispatch(scriptsActions.rehearseWanted());
  }
  repair(): void {
    this.chosen.set(null);
    this.step.set(null);
    this.#store.dispatch(scriptsActions.repairWanted());
  }
}
