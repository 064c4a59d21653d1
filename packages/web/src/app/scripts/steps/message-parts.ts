import { ChangeDetectionStrategy, Component, computed, inject, input, output, signal } from '@angular/core';
import { Store } from '@ngrx/store';
import {
  describeCheck,
  requestSteps,
  usualAwaitMs,
  type Awaited,
  type Check,
  type Checked,
  type MessageStep,
  type PieceName,
  type Script,
} from '@sturdy/core';
import { dataFeature } from '../../state/data.feature';
import { NumberField } from '../../shared/number-field';
import { scriptsActions } from '../../state/scripts.actions';
import { CheckForm, newCheck } from './check-form';
import { SentBody } from './sent-body';
import { namesFor, templateText } from './template-names';

/** A message over a WebSocket: what is sent with its chips, and which message is waited for, told in words and changed. */
@Component({
  selector: 'app-message-parts',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [CheckForm, NumberField, SentBody],
  template: `<p class="told">{{ sentence() }}</p>
    @if (message().body; as body) {
      <app-sent-body
        class="mb-2"
        label="Message"
        [body]="body"
        [script]="script()"
        [tables]="tableNames()"
        (chosen)="chosen.emit($event)"
        (putBack)="putBack.emit($event)"
      />
    }
    @if (message().action === 'send') {
      <label class="pick"
        ><input type="checkbox" [checked]="awaits() !== null" (change)="wait(awaits() === null)" /> wait for a message that answers
        it</label
      >
    }
    @if (awaits(); as shownAwaits) {
      <div class="muted small">Waits for the first message for which all of this holds</div>
      @for (place of shownAwaits.same; track place) {
        <div class="asked">
          <span
            >the value at <span class="mono">{{ place }}</span> is the one that was sent there</span
          >
          <button class="act slim" (click)="dropSame(place)" [attr.aria-label]="'No longer compare ' + place">
            <i class="bi bi-trash" aria-hidden="true"></i>
          </button>
        </div>
      }
      @for (hold of shownAwaits.holds; track $index) {
        <div class="asked">
          <span>{{ words(hold) }}</span>
          <button class="act slim" (click)="drop($index)" [attr.aria-label]="'No longer ask that it ' + words(hold)">
            <i class="bi bi-trash" aria-hidden="true"></i>
          </button>
        </div>
      }
      @if (shownAwaits.same.length + shownAwaits.holds.length === 0) {
        <p class="small">Any message will do.</p>
      }
      @if (draft(); as check) {
        <div class="card-box pad mt-2">
          <app-check-form [script]="script()" [value]="check" [ofMessage]="true" [looksAt]="messageChecks" (changed)="draft.set($event)" />
          <div class="d-flex gap-2 mt-2">
            <button class="act main" (click)="keep(check, shownAwaits)">Add this condition</button>
            <button class="act" (click)="draft.set(null)">Leave it</button>
          </div>
        </div>
      } @else {
        <button class="act slim mt-2" (click)="draft.set(freshCheck())">
          <i class="bi bi-plus" aria-hidden="true"></i>Add a condition
        </button>
      }
      <app-number-field
        class="d-block mt-2"
        label="Wait at most, s"
        [value]="shownAwaits.atMostMs / 1000"
        [min]="0.1"
        [max]="600"
        (changed)="setMost($event, shownAwaits)"
      />
    }`,
  styles: `
    :host {
      display: block;
      border-left: 3px solid var(--line);
      padding: 2px 0 2px 12px;
      margin-bottom: 12px;
    }
    .told {
      margin: 0 0 6px;
    }
    .asked {
      display: grid;
      grid-template-columns: 1fr auto;
      gap: 10px;
      align-items: center;
      padding: 4px 0;
      font-size: 13px;
      overflow-wrap: anywhere;
    }
    .pick {
      display: flex;
      gap: 7px;
      align-items: center;
      font-size: 13px;
      margin-bottom: 6px;
    }
  `,
})
export class MessageParts {
  readonly #store = inject(Store);
  /** What a message has that can be looked at. */
  readonly messageChecks = ['text', 'value', 'count', 'size'] as const;
  readonly script = input.required<Script>();
  readonly message = input.required<MessageStep>();
  /** A handoff whose string is to be shown. */
  readonly chosen = output<string>();
  readonly putBack = output<{ everywhere: boolean; piece: PieceName }>();
  readonly #tables = this.#store.selectSignal(dataFeature.selectTables);
  readonly tableNames = computed(() => Object.fromEntries(this.#tables().map((table) => [table.id, table.name])));
  readonly #names = computed(() => namesFor(this.script(), this.#tables()));
  readonly draft = signal<Check | null>(null);
  readonly awaits = computed(() => this.message().awaits);
  readonly sentence = computed(() => {
    const { action, socket } = this.message();
    const opening = requestSteps(this.script()).find(({ step }) => step.opensSocket === socket);
    const where = opening
      ? `the WebSocket “${socket}”, which step ${opening.number} opens`
      : `the WebSocket “${socket}”, which no step of this script opens`;
    if (action === 'send') return `Sends a message over ${where}.`;
    return action === 'await' ? `Waits for a message over ${where}.` : `Closes ${where}.`;
  });

  words(checked: Checked): string {
    return describeCheck({ checked }, (template) => templateText(template, this.#names()));
  }
  freshCheck(): Check {
    return newCheck('awaited');
  }
  wait(wanted: boolean): void {
    this.#set(wanted ? { same: [], holds: [], atMostMs: usualAwaitMs } : null);
  }
  dropSame(place: string): void {
    const awaited = this.awaits();
    if (awaited) this.#set({ ...awaited, same: awaited.same.filter((samePlace) => samePlace !== place) });
  }
  drop(at: number): void {
    const awaited = this.awaits();
    if (awaited) this.#set({ ...awaited, holds: awaited.holds.filter((_, index) => index !== at) });
  }
  keep(check: Check, awaited: Awaited): void {
    this.#set({ ...awaited, holds: [...awaited.holds, check.checked] });
    this.draft.set(null);
  }
  setMost(seconds: number, awaited: Awaited): void {
    if (seconds > 0) this.#set({ ...awaited, atMostMs: Math.round(Math.min(600, seconds) * 1000) });
  }

  #set(awaits: Awaited | null): void {
    this.#store.dispatch(scriptsActions.edited({ edit: { kind: 'set-step', step: { ...this.message(), awaits } } }));
  }
}
