import { ChangeDetectionStrategy, Component, computed, input } from '@angular/core';
import { RouterLink } from '@angular/router';
import { resultOf, resultWords, type Rehearsal } from '@sturdy/core';
import { VerdictShape } from '../shared/verdict-shape';

/** What is known of a rehearsal that passed: what it made and changed, and what could not be seen, with how to prove it. */
@Component({
  selector: 'app-proof-note',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [RouterLink, VerdictShape],
  template: `<div class="note" [class.good]="result() === 'proven'" [class.warn]="result() !== 'proven'">
    <app-verdict class="me-1" [verdict]="result()" /> <b>{{ words() }}.</b>
    @if (result() === 'proven') {
      Two rehearsals in a row did what was recorded.
    } @else if (!rehearsal().proof) {
      All steps answered like the take. Rehearse twice in a row to see whether it does what was recorded.
    }
    @if (seen().length > 0) {
      <ul class="plain small mt-1">
        @for (fact of shown(); track $index) {
          <li>
            <a [routerLink]="['/scripts', rehearsal().scriptId]" [queryParams]="{ at: fact.step }">step {{ fact.number }}</a>
            {{ fact.what }}
          </li>
        }
        @if (seen().length > shown().length) {
          <li class="muted">and {{ seen().length - shown().length }} more</li>
        }
      </ul>
    }
    @for (question of rehearsal().proof?.open ?? []; track $index) {
      <p class="small mt-1 mb-0">
        {{ question.sentence }} <span class="muted">{{ question.advice }}</span>
        @if (question.step; as step) {
          <a class="ms-1" [routerLink]="['/scripts', rehearsal().scriptId]" [queryParams]="{ at: step }">Open step {{ question.number }}</a>
        }
      </p>
    }
  </div>`,
  styles: `
    .plain {
      margin: 0;
      padding-left: 18px;
    }
  `,
})
export class ProofNote {
  readonly rehearsal = input.required<Rehearsal>();
  readonly most = input(6);
  readonly result = computed(() => resultOf(this.rehearsal()));
  readonly words = computed(() => {
    const words = resultWords[this.result()];
    return words.charAt(0).toUpperCase() + words.slice(1);
  });
  readonly seen = computed(() => [...(this.rehearsal().proof?.made ?? []), ...(this.rehearsal().proof?.changed ?? [])]);
  readonly shown = computed(() => this.seen().slice(0, this.most()));
}
