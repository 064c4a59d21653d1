import { ChangeDetectionStrategy, Component, computed, inject, signal } from '@angular/core';
import { RouterLink } from '@angular/router';
import { NgbActiveModal } from '@ng-bootstrap/ng-bootstrap/modal';
import { isStaticFile, pathAndQuery, verbOf, type Exchange } from '@sturdy/core';
import { Api, problemOf } from '../shared/api';
import type { CountedTake } from '@sturdy/core';
import { SecretMask } from '../shared/secret-mask';
import { WhyNot } from '../shared/why-not';

/** Which piece of which take is to be put in. */
export interface PieceChoice {
  takeId: string;
  from: number;
  to: number;
  /** True where it comes in the place of the steps that were chosen. */
  instead: boolean;
}

/** Asks for a piece of another take: the take, its first and its last request. */
@Component({
  selector: 'app-take-piece-dialog',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [WhyNot, RouterLink],
  template: `<div class="modal-header">
      <h2 class="m-0">
        {{
          chosen() > 0 ? 'Put a recorded piece in the place of ' + chosen() + (chosen() === 1 ? ' step' : ' steps') : 'Insert from a take'
        }}
      </h2>
      <button type="button" class="btn-close" aria-label="Close" (click)="modal.dismiss()"></button>
    </div>
    <div class="modal-body">
      @if (takes().length === 0) {
        <p>
          There is no other take yet. Record the flow once more, up to the piece that you want; what comes before it tells where its values
          come from.
        </p>
        <a class="act main" routerLink="/takes/record" (click)="modal.dismiss()">Record a take</a>
      } @else {
        <label class="field mb-2"
          >Take
          <select #take (change)="choose(take.value)">
            @for (take of takes(); track take.id) {
              <option [value]="take.id" [selected]="take.id === takeId()">{{ take.name }} ({{ take.exchangeCount }} exchanges)</option>
            }
          </select></label
        >
        @if (problem(); as sentence) {
          <p class="note bad" role="alert">{{ sentence }}</p>
        }
        <b class="small d-block">Choose the first and the last request of the piece</b>
        <div class="list" tabindex="0" role="region" aria-label="Requests of the take">
          @for (request of requests(); track request.n) {
            <button
              type="button"
              class="row-button"
              [class.on]="isIn(request.n)"
              [attr.aria-pressed]="isIn(request.n)"
              (click)="pick(request.n)"
            >
              <span class="num muted">{{ request.n }}</span> <b>{{ verb(request) }}</b> <span class="mono">{{ target(request) }}</span>
              <span class="muted">{{ status(request) }}</span>
            </button>
          }
        </div>
        @if (chosen() > 0) {
          <label class="d-flex small mt-2"
            ><input type="checkbox" [checked]="instead()" (change)="instead.set(!instead())" />take the chosen
            {{ chosen() === 1 ? 'step' : 'steps' }} out</label
          >
        }
        <p class="muted small mt-2 mb-0">
          What the piece sends is read from the same answers as in this script, where it has them. The take should be of the same flow, from
          its beginning.
        </p>
      }
    </div>
    <div class="modal-footer">
      <button class="act" (click)="modal.dismiss()">Cancel</button>
      <button
        class="act main"
        (click)="done()"
        [whyNot]="(range() === null || takeId() === null) && 'Choose a take, and the first and the last request of the piece.'"
      >
        {{ range() ? 'Put in ' + count() + (count() === 1 ? ' request' : ' requests') : 'Put it in' }}
      </button>
    </div>`,
  styles: `
    .list {
      max-height: 44vh;
      overflow: auto;
      border: 1px solid var(--line);
      border-radius: 6px;
    }
    .row-button {
      display: grid;
      grid-template-columns: 40px 60px 1fr auto;
      gap: 8px;
      width: 100%;
      text-align: left;
      border: 0;
      border-bottom: 1px solid var(--line);
      background: none;
      color: var(--ink);
      padding: 4px 10px;
      font-size: 13px;
    }
    .row-button .mono {
      overflow: hidden;
      text-overflow: ellipsis;
      white-space: nowrap;
    }
    .row-button.on {
      background: var(--clay-soft);
    }
    .num {
      text-align: right;
    }
  `,
})
export class TakePieceDialog {
  readonly #api = inject(Api);
  readonly #mask = inject(SecretMask);
  readonly modal = inject(NgbActiveModal);
  readonly takes = signal<readonly CountedTake[]>([]);
  readonly chosen = signal(0);
  readonly takeId = signal<string | null>(null);
  readonly instead = signal(true);
  readonly problem = signal<string | null>(null);
  readonly #exchanges = signal<readonly Exchange[]>([]);
  readonly requests = computed(() => this.#exchanges().filter((exchange) => exchange.kind === 'message' || !isStaticFile(exchange)));
  readonly range = signal<{ from: number; to: number } | null>(null);
  readonly count = computed(() => this.requests().filter((request) => this.isIn(request.n)).length);

  readonly verb = verbOf;

  status(exchange: Exchange): string {
    return exchange.kind === 'request' ? String(exchange.response?.status ?? 'no answer') : '';
  }
  /** Starts with the newest of the takes; `chosen` steps may be taken out for it. */
  start(takes: readonly CountedTake[], chosen: number): void {
    this.takes.set(takes);
    this.chosen.set(chosen);
    const newest = takes.at(-1);
    if (newest) this.choose(newest.id);
  }
  choose(id: string): void {
    this.takeId.set(id);
    void this.#mask.look(id, [], []);
    this.range.set(null);
    this.#api.take(id).subscribe({
      next: ({ exchanges }) => {
        this.#exchanges.set(exchanges);
      },
      error: (error: unknown) => {
        this.problem.set(problemOf(error));
      },
    });
  }
  target(exchange: Exchange): string {
    return this.#mask.url(pathAndQuery(exchange.url));
  }
  isIn(n: number): boolean {
    const range = this.range();
    return range !== null && n >= range.from && n <= range.to;
  }
  /** The first click begins the piece, the next ends it, and another begins anew. */
  pick(n: number): void {
    const range = this.range();
    if (!range || range.from !== range.to) this.range.set({ from: n, to: n });
    else this.range.set({ from: Math.min(range.from, n), to: Math.max(range.from, n) });
  }
  done(): void {
    const range = this.range();
    const takeId = this.takeId();
    if (!range || takeId === null) return;
    const choice: PieceChoice = { takeId, ...range, instead: this.chosen() > 0 && this.instead() };
    this.modal.close(choice);
  }
}
