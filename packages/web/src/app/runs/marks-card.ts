import { ChangeDetectionStrategy, Component, computed, inject, input, output, signal } from '@angular/core';
import { whyNoBaseline, type Baseline, type Run } from '@sturdy/core';
import { RouterLink } from '@angular/router';
import { Api, problemOf } from '../shared/api';
import { WhyNot } from '../shared/why-not';

/** Which release a run played against, and whether it is the zero line of later ones. */
@Component({
  selector: 'app-marks-card',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [RouterLink, WhyNot],
  template: `<div class="pad marks">
    <label class="small"
      >Release of the system
      <input
        class="form-control form-control-sm"
        placeholder="such as 4.2"
        maxlength="80"
        [value]="run().release ?? ''"
        (change)="mark(run().baseline ?? false, $any($event.target).value)"
    /></label>
    <button
      class="act slim"
      [attr.aria-pressed]="run().baseline ?? false"
      (click)="mark(!(run().baseline ?? false), run().release ?? '')"
      [whyNot]="run().baseline ? null : why()"
    >
      <i class="bi bi-rulers" aria-hidden="true"></i>{{ run().baseline ? 'Is a baseline' : 'Make it a baseline' }}
    </button>
    @if (baseline(); as zero) {
      <span class="small muted">
        @if (zero.runId === run().id) {
          Zero line of later runs. {{ zero.sentence }}
        } @else {
          Zero line: <a [routerLink]="['/runs', zero.runId]">run {{ zero.number }}</a
          >{{ zero.release ? ' (' + zero.release + ')' : '' }}, one user alone. {{ zero.sentence }}
        }
      </span>
    } @else {
      <span class="small muted">No baseline before it: play the workload with one user, and mark that run.</span>
    }
    @if (problem(); as sentence) {
      <p class="note bad m-0" role="alert">{{ sentence }}</p>
    }
  </div>`,
  styles: `
    .marks {
      display: flex;
      gap: 14px;
      align-items: center;
      flex-wrap: wrap;
    }
    label {
      display: flex;
      gap: 8px;
      align-items: center;
    }
    input {
      width: 130px;
    }
    [aria-pressed='true'] {
      background: var(--teal-soft);
      border-color: var(--teal);
    }
  `,
})
export class MarksCard {
  readonly #api = inject(Api);
  readonly run = input.required<Run>();
  readonly baseline = input.required<Baseline | null>();
  /** The run with its marks, once they are stored. */
  readonly marked = output<Run>();
  readonly problem = signal<string | null>(null);
  readonly why = computed(() => whyNoBaseline(this.run()));

  mark(baseline: boolean, release: string): void {
    this.problem.set(null);
    this.#api.markRun(this.run().id, { baseline, release }).subscribe({
      next: (run) => {
        this.marked.emit(run);
      },
      error: (error: unknown) => {
        this.problem.set(problemOf(error));
      },
    });
  }
}
