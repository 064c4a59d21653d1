import { ChangeDetectionStrategy, Component, computed, effect, inject, input, signal } from '@angular/core';
import { RouterLink } from '@angular/router';
import { comparedLanesOptions, type ComparedLanes, type RunComparison } from '@sturdy/core';
import { forkJoin, of } from 'rxjs';
import { Api, problemOf } from '../shared/api';
import { Chart } from '../shared/chart';
import { figure, hue, moment } from '../shared/format';
import { VerdictShape } from '../shared/verdict-shape';

const shapes = { slower: 'failed', faster: 'passed', none: 'none', few: 'not-sent' } as const;

/** Two to six runs side by side; the first is what the others are set against. */
@Component({
  selector: 'app-compare-screen',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [Chart, RouterLink, VerdictShape],
  templateUrl: './compare-screen.html',
  styleUrl: './compare-screen.scss',
})
export class CompareScreen {
  readonly #api = inject(Api);
  /** Ids of the runs, with commas between them. */
  readonly runs = input<string>();
  /** `crews`: the crews of the one run that is named. */
  readonly by = input<string>();
  readonly isByCrew = computed(() => this.by() === 'crews');
  readonly isEnough = computed(() => this.ids().length > (this.isByCrew() ? 0 : 1));
  readonly comparison = signal<RunComparison | null>(null);
  readonly lanes = signal<ComparedLanes[]>([]);
  readonly problem = signal<string | null>(null);
  readonly ids = computed(() => (this.runs() ?? '').split(',').filter((id) => id !== ''));
  readonly chart = computed(() => {
    const lanes = this.lanes();
    return lanes.length === 0 ? null : (colour: (name: string) => string) => comparedLanesOptions(lanes, colour);
  });
  readonly shapes = shapes;
  readonly hue = hue;
  readonly figure = figure;
  readonly moment = moment;

  constructor() {
    effect((whenGone) => {
      const ids = this.ids();
      this.comparison.set(null);
      this.problem.set(null);
      if (!this.isEnough()) return;
      const [first = ''] = ids;
      const answers = this.isByCrew()
        ? forkJoin([this.#api.compareCrews(first), of([])])
        : forkJoin([this.#api.compareRuns(ids), forkJoin(ids.map((id) => this.#api.lanes(id)))]);
      const asked = answers.subscribe({
        next: ([comparison, lanes]) => {
          this.comparison.set(comparison);
          // The lanes of a run are those of all its crews together.
          this.lanes.set(this.isByCrew() ? [] : comparison.runs.map((run, at) => ({ run, points: lanes[at] ?? [] })));
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

  name({ number, release, part }: RunComparison['runs'][number]): string {
    return part ?? `run ${number}${release === null ? '' : `, ${release}`}`;
  }
  /** The runs with another one first. */
  against(id: string): string {
    return [id, ...this.ids().filter((other) => other !== id)].join(',');
  }
}
