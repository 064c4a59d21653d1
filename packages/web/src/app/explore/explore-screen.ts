import { ChangeDetectionStrategy, Component, computed, effect, inject, input, resource, signal, untracked } from '@angular/core';
import { Router, RouterLink } from '@angular/router';
import { Store } from '@ngrx/store';
import {
  measures,
  plainView,
  SavedViewSchema,
  seriesId,
  seriesWords,
  smoothed,
  stretchOf,
  valueAt,
  type DrawnSeries,
  type LaneView,
  type Measure,
  type SavedView,
  type SeriesKey,
  type ViewLane,
} from '@sturdy/core';
import { firstValueFrom } from 'rxjs';
import { SamplesCard } from '../runs/samples-card';
import { Api } from '../shared/api';
import { ConfirmDelete } from '../shared/confirm-delete';
import { clock, figure, hueNames, moment } from '../shared/format';
import { nextId } from '../shared/next-id';
import { WhyNot } from '../shared/why-not';
import { exploreActions } from '../state/explore.actions';
import { exploreFeature } from '../state/explore.feature';
import { runsActions } from '../state/runs.actions';
import { isLive, runsFeature } from '../state/runs.feature';
import { scriptsActions } from '../state/scripts.actions';
import { scriptsFeature } from '../state/scripts.feature';
import { LaneChart } from './lane-chart';
import { QuestionConsole } from './question-console';
import { SeriesCatalogue } from './series-catalogue';

const smoothings = [1, 5, 15, 60, 300];

/** Ended runs, looked at freely: any series in any lane, and questions in SQL. */
@Component({
  selector: 'app-explore-screen',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [ConfirmDelete, LaneChart, QuestionConsole, RouterLink, SamplesCard, SeriesCatalogue, WhyNot],
  templateUrl: './explore-screen.html',
  styleUrl: './explore-screen.scss',
})
export class ExploreScreen {
  readonly #store = inject(Store);
  readonly #api = inject(Api);
  readonly #router = inject(Router);
  /** Id of the run, of a saved view, the stretch that is shown, and which of the two pages: all in the address, so that a link leads here. */
  readonly run = input<string>();
  readonly view = input<string>();
  readonly at = input<string>();
  readonly page = input<string>();
  readonly #list = this.#store.selectSignal(runsFeature.selectList);
  readonly runs = computed(() => this.#list().filter((run) => !isLive(run)));
  readonly listed = this.#store.selectSignal(runsFeature.selectListed);
  readonly scripts = this.#store.selectSignal(scriptsFeature.selectAll);
  readonly views = this.#store.selectSignal(exploreFeature.selectViews);
  readonly questions = this.#store.selectSignal(exploreFeature.selectQuestions);
  readonly result = this.#store.selectSignal(runsFeature.selectResult);
  readonly current = computed(() => this.runs().find(({ id }) => id === this.run()) ?? this.runs()[0] ?? null);
  readonly isAsking = computed(() => this.page() === 'questions');
  readonly smoothings = smoothings;
  readonly measures = Object.entries(measures).map(([measure, { name }]) => ({ measure: measure as Measure, name }));
  readonly hueNames = hueNames;
  readonly clock = clock;
  readonly moment = moment;
  readonly figure = figure;

  readonly catalogue = resource({
    params: () => (this.isAsking() ? undefined : this.current()?.id),
    loader: ({ params }) => firstValueFrom(this.#api.catalogue(params)),
  });
  /** The view as it is drawn; what was changed is not kept before somebody says so. */
  readonly drawn = signal<SavedView>(plainView);
  /** Id of the lane into which the catalogue draws. */
  readonly chosenLane = signal(plainView.lanes[0]?.id ?? '');
  readonly cursor = signal<number | null>(null);
  /** A second that was chosen, and the lane in which. */
  readonly chosen = signal<{ second: number; lane: string } | null>(null);
  /** What has to be asked for; the same series in other lanes are no other question. */
  readonly #wanted = computed(
    () => {
      const keys = new Map(this.drawn().lanes.flatMap(({ series }) => series.map(({ key }) => [seriesId(key), key] as const)));
      return {
        run: this.catalogue.hasValue() ? this.current()?.id : undefined,
        ids: [...keys.keys()].sort().join(),
        keys: [...keys.values()],
      };
    },
    { equal: (left, right) => left.run === right.run && left.ids === right.ids },
  );
  readonly #series = resource({
    params: () => {
      const { run, keys } = this.#wanted();
      return run === undefined ? undefined : { run, keys };
    },
    loader: ({ params: { run, keys } }) => firstValueFrom(this.#api.series(run, keys)),
  });
  readonly #points = signal<ReadonlyMap<string, readonly [number, number | null][]>>(new Map());
  readonly seconds = computed(() => Math.max(1, this.catalogue.hasValue() ? this.catalogue.value().seconds : 1));
  readonly window = computed(() => stretchOf(this.at()) ?? { fromSecond: 0, toSecond: this.seconds() });
  readonly isZoomed = computed(() => stretchOf(this.at()) !== null);
  readonly lanes = computed(() => {
    const { fromSecond, toSecond } = this.window();
    const hosts = this.catalogue.hasValue() ? this.catalogue.value().hosts : [];
    const chosen = this.chosen();
    let hue = 0;
    return this.drawn().lanes.map((lane, at, all) => {
      const series = lane.series.map((drawn) => {
        const points = this.#points().get(seriesId(drawn.key));
        const { name, unit } = seriesWords(drawn.key, hosts);
        return {
          drawn,
          isMissing: points?.length === 0,
          name,
          unit,
          axis: drawn.axis,
          points: smoothed([...(points ?? [])], drawn.smoothSeconds),
          hue: hue++,
        };
      });
      const view: LaneView = {
        series,
        fromSecond,
        toSecond,
        hasTimes: at === all.length - 1,
        stretch: chosen && { fromSecond: chosen.second, toSecond: chosen.second + 1 },
      };
      return { lane, series, view, label: `${series.map(({ name }) => name).join(', ') || 'An empty lane'} over time` };
    });
  });
  readonly isKept = computed(() => this.views().some(({ id }) => id === this.drawn().id));
  readonly isChanged = computed(() => {
    const kept = [...this.views(), plainView].find(({ id }) => id === this.drawn().id);
    return JSON.stringify(kept) !== JSON.stringify(this.drawn());
  });
  readonly name = signal('');
  readonly naming = signal(false);
  /** What of the samples belongs to the chosen second. */
  readonly narrowing = computed(() => {
    const chosen = this.chosen();
    if (!chosen) return null;
    const lane = this.drawn().lanes.find(({ id }) => id === chosen.lane);
    const timed = lane?.series.map(({ key }) => key).find((key) => key.kind === 'time' && key.transaction !== null);
    return {
      fromSecond: chosen.second,
      toSecond: chosen.second + 1,
      transaction: timed?.kind === 'time' ? (timed.transaction ?? '') : '',
      step: timed?.kind === 'time' ? (timed.step ?? '') : '',
    };
  });

  constructor() {
    this.#store.dispatch(runsActions.listAsked());
    this.#store.dispatch(scriptsActions.listAsked());
    this.#store.dispatch(exploreActions.asked());
    // The view of the address is drawn once it is known; what is being changed stays where another one is kept meanwhile.
    effect(() => {
      const kept = this.views().find(({ id }) => id === this.view());
      if (kept) untracked(() => this.#show(kept));
    });
    effect(() => {
      const id = this.current()?.id;
      if (id !== undefined && !this.isAsking()) this.#store.dispatch(runsActions.opened({ id }));
    });
    effect(() => {
      if (!this.#series.hasValue()) return;
      this.#points.set(new Map(this.#series.value().map(({ key, points }) => [seriesId(key), points])));
    });
  }

  readonly problem = computed(() => {
    const error = this.catalogue.error() ?? this.#series.error();
    return error ? error.message : null;
  });

  #show(view: SavedView): void {
    this.drawn.set(view);
    this.chosenLane.set(view.lanes[0]?.id ?? '');
    this.chosen.set(null);
  }
  /** Changes what of the screen stands in the address. */
  go(change: Readonly<Record<string, string | null>>): void {
    void this.#router.navigate([], { queryParams: change, queryParamsHandling: 'merge', replaceUrl: true });
  }
  chooseView(id: string): void {
    if (id === plainView.id) this.#show(plainView);
    this.go({ view: id === plainView.id ? null : id });
  }
  zoom({ fromSecond, toSecond }: { fromSecond: number; toSecond: number }): void {
    this.go({ at: `${fromSecond}-${toSecond}` });
  }
  valueOf({ points }: { points: readonly (readonly [number, number | null])[] }): string {
    const cursor = this.cursor();
    const value = cursor === null ? null : valueAt(points, cursor);
    return value === null ? '' : figure(value, Number.isInteger(value) || Math.abs(value) >= 100 ? 0 : 1);
  }

  #setLanes(lanes: ViewLane[]): void {
    this.drawn.update((view) => ({ ...view, lanes }));
  }
  #setLane(id: string, change: (lane: ViewLane) => ViewLane): void {
    this.#setLanes(this.drawn().lanes.map((lane) => (lane.id === id ? change(lane) : lane)));
  }
  draw(key: SeriesKey): void {
    const lane = this.drawn().lanes.find(({ id }) => id === this.chosenLane()) ?? this.drawn().lanes[0];
    if (!lane) this.addLane();
    const id = lane?.id ?? this.chosenLane();
    this.#setLane(id, (chosen) => {
      if (chosen.series.some((known) => seriesId(known.key) === seriesId(key))) return chosen;
      const hosts = this.catalogue.hasValue() ? this.catalogue.value().hosts : [];
      const [first] = chosen.series;
      // Another unit gets the axis of its own.
      const isOther = first !== undefined && seriesWords(first.key, hosts).unit !== seriesWords(key, hosts).unit;
      return { ...chosen, series: [...chosen.series, { key, axis: isOther ? 'right' : 'left', smoothSeconds: 1 }] };
    });
  }
  change(lane: ViewLane, at: number, change: Partial<DrawnSeries>): void {
    this.#setLane(lane.id, (known) => ({
      ...known,
      series: known.series.map((series, place) => (place === at ? { ...series, ...change } : series)),
    }));
  }
  measureOf({ key }: DrawnSeries): Measure | null {
    return key.kind === 'time' ? key.measure : null;
  }
  setMeasure(lane: ViewLane, at: number, { key }: DrawnSeries, measure: string): void {
    if (key.kind === 'time') this.change(lane, at, { key: { ...key, measure: measure as Measure } });
  }
  remove(lane: ViewLane, at: number): void {
    this.#setLane(lane.id, (known) => ({ ...known, series: known.series.filter((_, place) => place !== at) }));
  }
  /** Moves a series into another lane. */
  move(lane: ViewLane, at: number, to: string): void {
    const series = lane.series[at];
    if (!series || to === lane.id) return;
    this.remove(lane, at);
    this.#setLane(to, (known) => ({ ...known, series: [...known.series, series] }));
  }
  addLane(): void {
    const lane = { id: nextId('l', this.drawn().lanes), series: [] };
    this.#setLanes([...this.drawn().lanes, lane]);
    this.chosenLane.set(lane.id);
  }
  removeLane({ id }: ViewLane): void {
    this.#setLanes(this.drawn().lanes.filter((lane) => lane.id !== id));
  }

  #keep(views: readonly SavedView[]): void {
    this.#store.dispatch(exploreActions.keepWanted({ views, questions: this.questions() }));
  }
  keepView(): void {
    const view = this.drawn();
    this.#keep(this.views().map((known) => (known.id === view.id ? view : known)));
  }
  keepAs(): void {
    const view = { ...this.drawn(), id: nextId('v', this.views()), name: this.name().trim() };
    if (!SavedViewSchema.safeParse(view).success) return;
    this.naming.set(false);
    this.drawn.set(view);
    this.#keep([...this.views(), view]);
    this.go({ view: view.id });
  }
  dropView(): void {
    const { id } = this.drawn();
    this.#keep(this.views().filter((view) => view.id !== id));
    this.chooseView(plainView.id);
  }
}
