import { ChangeDetectionStrategy, Component, computed, inject, input, signal } from '@angular/core';
import { RouterLink } from '@angular/router';
import { NgbModal } from '@ng-bootstrap/ng-bootstrap/modal';
import { Store } from '@ngrx/store';
import {
  allSteps,
  describeExtractor,
  recordedSteps,
  stepCoverage,
  type ClassifiedValue,
  type Exchange,
  type PieceName,
  type RecordedStep,
  type RehearsedStep,
  type Script,
  type ScriptEdit,
} from '@sturdy/core';
import { dataFeature } from '../state/data.feature';
import { hue } from '../shared/format';
import { VerdictShape } from '../shared/verdict-shape';
import { BodyView } from '../takes/body-view';
import { HeaderList } from '../takes/header-list';
import { BindDialog, type BindChoice } from './bind-dialog';
import { CheckList } from './steps/check-list';
import { MessageParts } from './steps/message-parts';
import { RequestParts } from './steps/request-parts';
import { newStep } from './steps/step-kinds';
import { scriptsActions } from '../state/scripts.actions';
import { isReadAt, usesHandoff } from './string-layout';

const classNames: Record<ClassifiedValue['class'], string> = {
  'handed-off': 'handed off',
  data: 'data',
  'client-made': 'client-made',
  fixed: 'as recorded',
  unsure: 'unsure',
};

/** One recorded step in full: what it sends with chips, the recorded answer, its handoffs, the values it sends. */
@Component({
  selector: 'app-step-drawer',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [CheckList, MessageParts, RequestParts, RouterLink, HeaderList, BodyView, VerdictShape],
  template: `<div class="top">
      <app-verdict [verdict]="rehearsed()?.verdict ?? 'none'" /><b>{{ number() }} · {{ step().name }}</b>
    </div>
    <div class="tabs" role="tablist">
      @for (tab of tabs; track tab) {
        <button role="tab" [class.on]="tabNow() === tab" [attr.aria-selected]="tabNow() === tab" (click)="tabNow.set(tab)">
          {{ tab === 'Sent' ? titles().sent : tab === 'Answer' ? titles().answer : tab }}
          @if (tab === 'Values') {
            {{ values().length }}
          } @else if (tab === 'Handoffs') {
            {{ handoffs().length }}
          } @else if (tab === 'Checks') {
            {{ step().checks?.length ?? 0 }}
          }
        </button>
      }
    </div>
    <div class="scroll" tabindex="0" role="region" aria-label="Details of the step">
      @if (rehearsed(); as result) {
        @for (reason of result.reasons; track $index) {
          <p class="note" [class.bad]="result.verdict === 'failed'" [class.warn]="result.verdict !== 'failed'">{{ reason }}</p>
        }
      }
      @switch (tabNow()) {
        @case ('Checks') {
          <app-check-list [script]="script()" [step]="step()" />
        }
        @case ('Sent') {
          @if (request(); as shownRequest) {
            <app-request-parts [script]="script()" [request]="shownRequest" (chosen)="isolate($event)" (putBack)="putBack($event)" />
          } @else if (message(); as shownMessage) {
            <app-message-parts [script]="script()" [message]="shownMessage" (chosen)="isolate($event)" (putBack)="putBack($event)" />
          }
        }
        @case ('Answer') {
          @if (response(); as response) {
            <p class="mb-2">
              <b>{{ response.status }}</b> {{ response.statusText }}
              <span class="muted">as recorded; accepted: {{ request()?.expect?.statuses?.join(', ') }}</span>
            </p>
            <app-header-list [headers]="response.headers" />
            <app-body-view [body]="response.body" />
          } @else if (answeringMessage(); as body) {
            <app-body-view [body]="body" />
          } @else {
            <p class="muted">The take has no {{ message() ? 'message that answers' : 'response for' }} this step.</p>
          }
        }
        @case ('Values') {
          <table class="grid" aria-label="Values that this step sends">
            <thead>
              <tr>
                <th>Where</th>
                <th>Recorded</th>
                <th>On replay</th>
                <th></th>
              </tr>
            </thead>
            <tbody>
              @for (value of values(); track value.place) {
                <tr>
                  <td class="mono">{{ value.place }}</td>
                  <td class="mono">{{ value.value.length > 28 ? value.value.slice(0, 28) + '…' : value.value }}</td>
                  <td>{{ classNames[value.class] }}</td>
                  <td class="num">
                    @if (value.class === 'fixed' || value.class === 'unsure' || value.class === 'client-made') {
                      <button class="act slim" (click)="bind(value)">Replace…</button>
                      @if (value.class !== 'client-made') {
                        <button class="act slim" (click)="handOff(value)">Hand it off</button>
                      }
                      @if (value.class === 'unsure') {
                        <button class="act slim" (click)="bind(value, 'code')">Compute it</button>
                      }
                    }
                    @if (value.class === 'unsure' || value.class === 'handed-off') {
                      <a
                        class="act slim"
                        [routerLink]="['/scripts', script().id, 'sources']"
                        [queryParams]="{ step: value.step, place: value.place }"
                        >What it could be</a
                      >
                    }
                  </td>
                </tr>
                @if (reasonOf(value); as reason) {
                  <tr class="sub">
                    <td colspan="4">{{ reason }}</td>
                  </tr>
                }
              } @empty {
                <tr>
                  <td class="muted">This step sends no value of its own.</td>
                </tr>
              }
            </tbody>
          </table>
        }
        @case ('Handoffs') {
          @for (handoff of handoffs(); track handoff.handoff.id) {
            <div class="note" [style.border-color]="handoff.colour">
              <b>{{ handoff.handoff.name }}</b> · {{ handoff.handoff.evidence }}<br />
              {{ handoff.given ? 'Read here' : 'Sent here; read at step ' + handoff.origin }} from {{ handoff.from }}.
              {{ handoff.handoff.reason }}
              <div class="mt-2">
                <a class="act slim" [routerLink]="['/scripts', script().id, 'handoffs', handoff.handoff.id]">How it is read</a>
                <button class="act slim" (click)="isolate(handoff.handoff.id)">Show its string</button>
                <button class="act slim" (click)="drop(handoff.handoff.id)">Send as recorded again</button>
              </div>
            </div>
          } @empty {
            <p class="muted">No handoff starts or ends here.</p>
          }
        }
      }
    </div>`,
  styles: `
    :host {
      display: flex;
      flex-direction: column;
      min-height: 0;
      height: 100%;
    }
    .top {
      padding: 12px 16px 4px;
      display: flex;
      gap: 8px;
      align-items: center;
      font-size: 15px;
    }
    .scroll {
      overflow: auto;
      padding: 12px 16px;
      flex: 1;
    }
    td {
      overflow-wrap: anywhere;
    }
  `,
})
export class StepDrawer {
  readonly #store = inject(Store);
  readonly #modals = inject(NgbModal);
  readonly script = input.required<Script>();
  readonly step = input.required<RecordedStep>();
  readonly exchange = input<Exchange | undefined>();
  readonly rehearsed = input<RehearsedStep | undefined>();
  readonly #tables = this.#store.selectSignal(dataFeature.selectTables);
  readonly request = computed(() => {
    const step = this.step();
    return step.kind === 'request' ? step : null;
  });
  readonly message = computed(() => {
    const step = this.step();
    return step.kind === 'message' ? step : null;
  });
  readonly titles = computed(() => (this.message() ? { sent: 'Message', answer: 'Answer' } : { sent: 'Request', answer: 'Response' }));
  readonly response = computed(() => {
    const exchange = this.exchange();
    return exchange?.kind === 'request' ? exchange.response : null;
  });
  readonly answeringMessage = computed(() => {
    const exchange = this.exchange();
    return exchange?.kind === 'message' ? exchange.answer : null;
  });
  readonly tabs = ['Sent', 'Answer', 'Values', 'Handoffs', 'Checks'] as const;
  readonly tabNow = signal<(typeof this.tabs)[number]>('Sent');
  readonly classNames = classNames;
  readonly number = computed(() => recordedSteps(this.script()).find(({ step }) => step.id === this.step().id)?.number ?? 0);
  readonly values = computed(() => stepCoverage(this.script(), this.step()));
  readonly handoffs = computed(() => {
    const script = this.script();
    const numbers = new Map(recordedSteps(script).map(({ step, number }) => [step.id, number]));
    return script.handoffs.flatMap((handoff, index) =>
      isReadAt(handoff, this.step().id) || usesHandoff(this.step(), handoff.id)
        ? [
            {
              handoff,
              colour: hue(index),
              given: isReadAt(handoff, this.step().id),
              origin: numbers.get(handoff.origin) ?? 0,
              from: describeExtractor(handoff.extractor),
            },
          ]
        : [],
    );
  });

  reasonOf(value: ClassifiedValue): string | null {
    return value.class === 'unsure'
      ? (this.script().unsure.find((unsureValue) => unsureValue.step === value.step && unsureValue.place === value.place)?.reason ?? null)
      : null;
  }

  isolate(handoff: string): void {
    this.#store.dispatch(scriptsActions.handoffSelected({ handoff }));
  }

  putBack({ everywhere, piece }: { everywhere: boolean; piece: PieceName }): void {
    this.#store.dispatch(scriptsActions.edited({ edit: { kind: 'put-back', step: everywhere ? null : this.step().id, piece } }));
  }

  drop(handoff: string): void {
    this.#store.dispatch(scriptsActions.edited({ edit: { kind: 'drop-handoff', handoff } }));
  }

  handOff({ step, place, value }: ClassifiedValue): void {
    this.#store.dispatch(scriptsActions.handOffWanted({ step, place, value }));
  }

  /** Asks what replaces a value; `by` is what is offered first. */
  bind(value: ClassifiedValue, by: 'data' | 'code' = 'data'): void {
    const modal = this.#modals.open(BindDialog, { size: 'lg' });
    (modal.componentInstance as BindDialog).start(this.script(), value.value, value.name, this.#tables(), by);
    modal.result.then(
      (choice: BindChoice) => {
        this.#replace(value.value, choice);
      },
      () => undefined,
    );
  }

  #replace(value: string, { places, template, made, computes }: BindChoice): void {
    const edit = (scriptEdit: ScriptEdit): void => {
      this.#store.dispatch(scriptsActions.edited({ edit: scriptEdit }));
    };
    const first = recordedSteps(this.script()).find(({ step }) => places.some((place) => place.step === step.id))?.step;
    edit({ kind: 'bind', value, places, template, made });
    if (computes === null || !first) return;
    const before = this.#before(first.id);
    const code = newStep('code', this.script());
    if (code.kind !== 'code' || before === null) return;
    const known = this.script().handoffs.map((handoff) => `handoffs[${JSON.stringify(handoff.name)}]`);
    const source = [
      `// What was recorded: ${value.slice(0, 80)}`,
      ...(known.length > 0 ? [`// Known by then, among others: ${known.slice(0, 6).join(', ')}`] : []),
      `variables[${JSON.stringify(computes)}] = ${JSON.stringify(value)};`,
    ].join('\n');
    edit({ kind: 'insert', after: before, steps: [{ ...code, name: `compute ${computes}`, source }] });
  }

  /** What a step stands behind: the step before it in its list, or its transaction. */
  #before(id: string): string | null {
    for (const transaction of this.script().transactions) {
      const at = transaction.steps.findIndex((step) => allSteps([step]).some((innerStep) => innerStep.id === id));
      if (at >= 0) return transaction.steps[at - 1]?.id ?? transaction.id;
    }
    return null;
  }
}
