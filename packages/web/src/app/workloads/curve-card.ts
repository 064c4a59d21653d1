import { ChangeDetectionStrategy, Component, computed, input, output, signal } from '@angular/core';
import {
  curveHandles,
  curveLevels,
  curveOfKind,
  curveSeconds,
  moveHandle,
  withPoint,
  type CurveKind,
  type CurveLevels,
  type CurvePoint,
  type LoadCurve,
  type Workload,
} from '@sturdy/core';
import type { EChartsCoreOption } from 'echarts/core';
import { Chart, type ChartHandle, type ChartPlace } from '../shared/chart';
import { clock, figure } from '../shared/format';
import { NumberField } from '../shared/number-field';
import { WhyNot } from '../shared/why-not';

const kinds: { id: CurveKind; name: string; hint: string }[] = [
  { id: 'ramp', name: 'Ramp', hint: 'Users start one after the other, stay, and leave.' },
  { id: 'staircase', name: 'Staircase', hint: 'More users step by step, each step held: shows from which load on service turns.' },
  { id: 'at-once', name: 'All at once', hint: 'Everybody in the same moment: measures a stampede.' },
  { id: 'drawn', name: 'Drawn', hint: 'Any shape: drag the points, double-click for a new one, or type the table.' },
  { id: 'arrivals', name: 'Arrivals', hint: 'Iterations start at a rate, however fast the system answers.' },
];

/** The curve of a workload: its kind, its figures, and a chart of all crews whose corners can be dragged. */
@Component({
  selector: 'app-curve-card',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [WhyNot, Chart, NumberField],
  templateUrl: './curve-card.html',
  styles: `
    .kinds {
      display: flex;
      gap: 6px;
      flex-wrap: wrap;
      padding: 10px 12px 0;
    }
    .kinds button[aria-pressed='true'] {
      background: var(--teal-soft);
      border-color: var(--teal);
    }
    .chart {
      height: 170px;
    }
    .line {
      padding: 10px 12px;
    }
    .points {
      max-width: 430px;
      padding: 0 12px 10px;
    }
    .points input {
      width: 100px;
      text-align: right;
      color: var(--ink);
      background: var(--surface);
      border: 1px solid var(--line-strong);
      border-radius: 6px;
      padding: 2px 8px;
    }
  `,
})
export class CurveCard {
  readonly workload = input.required<Workload>();
  readonly changed = output<LoadCurve>();
  readonly kinds = kinds;
  readonly curve = computed(() => this.workload().curve);
  readonly hint = computed(() => kinds.find((kind) => kind.id === this.curve().kind)?.hint ?? '');
  readonly levels = computed(() => curveLevels(this.workload()));
  /** Extent of the axes; it stays while a point is dragged, so that the ground does not move under it. */
  readonly #held = signal<{ seconds: number; level: number } | null>(null);
  readonly #extent = computed(() => {
    const level = Math.max(1, ...sums(this.levels()));
    return { seconds: Math.max(1, Math.ceil(curveSeconds(this.workload()) * 1.12)), level: Math.ceil(level * 1.15) };
  });
  /** Users, or starts an hour, that 100 % stand for. */
  readonly #full = computed(() => {
    const { crews, curve } = this.workload();
    return crews.reduce((sum, crew) => sum + (curve.kind === 'arrivals' ? (crew.ratePerHour ?? 0) : crew.users), 0);
  });
  readonly handles = computed<ChartHandle[]>(() => {
    const full = this.#full();
    const levels = this.levels();
    return curveHandles(this.curve()).map(({ seconds, percent }) => ({
      x: seconds,
      y: percent === null ? levelAt(levels, seconds) : (percent / 100) * full,
      sideways: percent === null,
    }));
  });
  readonly options = computed(() => {
    const [levels, extent] = [this.levels(), this.#held() ?? this.#extent()];
    return (colour: (name: string) => string): EChartsCoreOption => curveChart(levels, extent, colour);
  });

  setKind(kind: CurveKind): void {
    this.changed.emit(curveOfKind(kind, this.curve()));
  }
  /** Changes figures of the curve that it has in its kind. */
  set(change: Record<string, unknown>): void {
    this.changed.emit({ ...this.curve(), ...change });
  }
  hold(held: boolean): void {
    this.#held.set(held ? this.#extent() : null);
  }
  drag({ at, x, y }: ChartPlace & { at: number }): void {
    this.changed.emit(moveHandle(this.curve(), at, { seconds: x, percent: (100 * y) / Math.max(1, this.#full()) }));
  }
  place({ x, y }: ChartPlace): void {
    const curve = this.curve();
    if (curve.kind !== 'drawn') return;
    const point = { seconds: Math.round(Math.max(0, x)), percent: Math.round(Math.max(0, (100 * y) / Math.max(1, this.#full()))) };
    this.changed.emit(withPoint(curve, point));
  }
  setPoint(at: number, change: Partial<CurvePoint>): void {
    const curve = this.curve();
    if (curve.kind !== 'drawn') return;
    const points = curve.points.map((point, n) => (n === at ? { ...point, ...change } : point));
    this.set({ points: points.sort((left, right) => left.seconds - right.seconds) });
  }
  addPoint(): void {
    const curve = this.curve();
    if (curve.kind !== 'drawn') return;
    const last = curve.points.at(-1);
    this.set({ points: [...curve.points, { seconds: (last?.seconds ?? 0) + 30, percent: last?.percent ?? 100 }] });
  }
  removePoint(at: number): void {
    const curve = this.curve();
    if (curve.kind === 'drawn' && curve.points.length > 2) this.set({ points: curve.points.filter((_, n) => n !== at) });
  }
  /** Two columns of a spreadsheet, seconds and per cent, take the place of the table. */
  paste(event: ClipboardEvent): void {
    const lines = (event.clipboardData?.getData('text/plain') ?? '').trim().split(/\r?\n/);
    if (lines.length < 2) return;
    const points = lines.map((line) => {
      const [seconds, percent] = line.split('\t').map((cell) => Number(cell.replace(',', '.').replace('%', '')));
      return { seconds: seconds ?? NaN, percent: percent ?? NaN };
    });
    if (!points.every((point) => point.seconds >= 0 && point.percent >= 0)) return;
    event.preventDefault();
    this.set({ points: points.sort((left, right) => left.seconds - right.seconds) });
  }
}

const sums = ({ seconds, crews }: CurveLevels): number[] =>
  seconds.map((_, at) => crews.reduce((sum, crew) => sum + (crew.levels[at] ?? 0), 0));

function levelAt(levels: CurveLevels, second: number): number {
  const at = levels.seconds.findLastIndex((levelSecond) => levelSecond < second);
  return sums(levels)[Math.max(0, at)] ?? 0;
}

function curveChart(
  { unit, seconds, crews }: CurveLevels,
  extent: { seconds: number; level: number },
  colour: (name: string) => string,
): EChartsCoreOption {
  const ink = { color: colour('ink-2') };
  return {
    animation: false,
    textStyle: { fontFamily: 'Figtree Variable', ...ink },
    grid: { left: 52, right: 20, top: crews.length > 1 ? 40 : 32, bottom: 34 },
    legend: { show: crews.length > 1, top: 4, right: 16, textStyle: ink, itemWidth: 14, itemHeight: 8 },
    tooltip: {
      trigger: 'axis',
      valueFormatter: (value: unknown) => `${figure(Number(value))} ${unit}`,
      backgroundColor: colour('surface'),
      textStyle: { color: colour('ink') },
    },
    xAxis: {
      type: 'value',
      name: 'min:s',
      nameLocation: 'middle',
      nameGap: 20,
      max: extent.seconds,
      axisPointer: { label: { formatter: ({ value }: { value: unknown }) => clock(Number(value)) } },
      axisLabel: { formatter: (value: number) => clock(value), ...ink, showMaxLabel: false },
      splitLine: { show: false },
    },
    yAxis: {
      type: 'value',
      name: unit === 'users' ? 'users' : 'starts an hour',
      nameTextStyle: { align: 'left' },
      max: extent.level,
      minInterval: 1,
      axisLabel: { ...ink, showMaxLabel: false },
      splitLine: { lineStyle: { color: colour('line') } },
    },
    series: crews.map(({ name, levels }, at) => ({
      type: 'line',
      name,
      stack: 'all',
      symbol: 'none',
      ...(unit === 'users' ? { step: 'end' } : {}),
      data: seconds.map((second, n) => [second, levels[n] ?? 0]),
      lineStyle: { color: colour(`s${at % 8}`), width: 2 },
      itemStyle: { color: colour(`s${at % 8}`) },
      areaStyle: { color: colour(`s${at % 8}`), opacity: 0.14 },
    })),
  };
}
