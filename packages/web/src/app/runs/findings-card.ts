import { ChangeDetectionStrategy, Component, computed, effect, inject, input, output, signal } from '@angular/core';
import { NgbModal } from '@ng-bootstrap/ng-bootstrap/modal';
import { findingChart, plainRules, type Finding, type FindingRules, type Severity } from '@sturdy/core';
import { Api, problemOf } from '../shared/api';
import { Chart } from '../shared/chart';
import { clock } from '../shared/format';
import { VerdictShape } from '../shared/verdict-shape';
import { RulesDialog } from './rules-dialog';

const shapes: Record<Severity, string> = { grave: 'failed', notable: 'drifted', hint: 'not-sent', fact: 'none' };
const words: Record<Severity, string> = { grave: 'grave', notable: 'notable', hint: 'a hint', fact: 'for completeness' };

/** What the analysis noticed in a run, as sentences; each can be opened, and leads to its moment on the lanes. */
@Component({
  selector: 'app-findings-card',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [Chart, VerdictShape],
  template: `<div class="pad d-flex align-items-center gap-3">
      <h2 class="m-0">What this run shows</h2>
      <span class="muted small">the most important first; figures with the range in which they lie with 95 % confidence</span>
      <span class="grow"></span>
      <button class="act slim" (click)="changeRules()" title="Limits of hosts, and what is taken for chance">Rules…</button>
    </div>
    @if (problem(); as sentence) {
      <p class="note bad m-2" role="alert">{{ sentence }}</p>
    } @else if (findings() === null) {
      <p class="pad pt-0 muted" role="status">The figures are being analysed…</p>
    } @else {
      <ol>
        @for (finding of shown(); track finding.id) {
          <li [class.open]="finding.id === open()">
            <div class="row-line">
              <app-verdict [verdict]="shapes[finding.severity]" />
              <span class="sentence"
                ><span class="visually-hidden">{{ words[finding.severity] }}: </span>{{ finding.sentence }}</span
              >
              @if (finding.fromSecond !== null) {
                <button class="act slim" (click)="moment.emit(finding)" title="Show it on the lanes">
                  <i class="bi bi-crosshair" aria-hidden="true"></i>{{ clock(finding.fromSecond) }}
                </button>
              }
              <button class="act slim" [attr.aria-expanded]="finding.id === open()" (click)="toggle(finding.id)">
                {{ finding.id === open() ? 'Less' : 'Why' }}
              </button>
            </div>
            @if (finding.id === open()) {
              <div class="why">
                <p class="muted">{{ finding.explanation }}</p>
                @if (chart(); as options) {
                  <div class="small-chart"><app-chart [options]="options" [label]="'Chart: ' + finding.sentence" /></div>
                }
              </div>
            }
          </li>
        } @empty {
          <li class="muted">Nothing stands out.</li>
        }
      </ol>
      @if (facts() > 0) {
        <div class="pad pt-0">
          <button class="act slim" [attr.aria-pressed]="all()" (click)="all.set(!all())">
            {{ all() ? 'Leave out what is for completeness' : facts() + ' more for completeness' }}
          </button>
        </div>
      }
    }`,
  styles: `
    ol {
      list-style: none;
      margin: 0;
      padding: 0 0 6px;
    }
    li {
      padding: 7px 16px;
      border-top: 1px solid var(--line);
    }
    .row-line {
      display: flex;
      gap: 10px;
      align-items: baseline;
    }
    .sentence {
      flex: 1;
    }
    .why {
      padding: 6px 0 4px 24px;
    }
    .why p {
      max-width: 100ch;
      margin-bottom: 6px;
    }
    .small-chart {
      position: relative;
      height: 230px;
      max-width: 720px;
    }
    .small-chart app-chart {
      position: absolute;
      inset: 0;
    }
  `,
})
export class FindingsCard {
  readonly #api = inject(Api);
  readonly #modals = inject(NgbModal);
  readonly #rulesChanged = signal(0);
  readonly runId = input.required<string>();
  /** Somebody wants to see when it was. */
  readonly moment = output<Finding>();
  readonly findings = signal<Finding[] | null>(null);
  readonly problem = signal<string | null>(null);
  readonly open = signal<string | null>(null);
  readonly all = signal(false);
  readonly shown = computed(() => (this.findings() ?? []).filter(({ severity }) => this.all() || severity !== 'fact'));
  readonly facts = computed(() => (this.findings() ?? []).filter(({ severity }) => severity === 'fact').length);
  readonly chart = computed(() => {
    const chart = this.findings()?.find(({ id }) => id === this.open())?.chart;
    return chart ? (colour: (name: string) => string) => findingChart(chart, colour) : null;
  });
  readonly shapes = shapes;
  readonly words = words;
  readonly clock = clock;

  constructor() {
    effect((whenGone) => {
      const id = this.runId();
      // Asked anew once the rules are others.
      this.#rulesChanged();
      this.findings.set(null);
      this.problem.set(null);
      const asked = this.#api.findings(id).subscribe({
        next: (findings) => {
          this.findings.set(findings);
        },
        error: (error: unknown) => {
          this.problem.set(problemOf(error));
        },
      });
      whenGone(() => {
        asked.unsubscribe();
      });
    });
  }

  /** Opens what the analysis goes by; the findings follow what is saved. */
  changeRules(): void {
    this.#api.projectSettings().subscribe({
      next: (settings) => {
        const modal = this.#modals.open(RulesDialog, { size: 'xl' });
        (modal.componentInstance as RulesDialog).rules.set(settings.findingRules ?? plainRules);
        modal.result.then(
          (findingRules: FindingRules) => {
            this.#api.saveProjectSettings({ ...settings, findingRules }).subscribe({
              next: () => {
                this.#rulesChanged.update((times) => times + 1);
              },
              error: this.#tell,
            });
          },
          () => undefined,
        );
      },
      error: this.#tell,
    });
  }
  readonly #tell = (error: unknown): void => {
    this.problem.set(problemOf(error));
  };

  toggle(id: string): void {
    this.open.set(this.open() === id ? null : id);
  }
}
