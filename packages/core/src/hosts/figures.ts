import { familyOf, type Exposition, type MetricSample } from './open-metrics.js';
import { machineFigures, type HostPoint, type HostSeries, type ShownFigure, type Watch } from './watch.schema.js';

/** Samples that were read, and when, in ms of any clock that goes on. */
export interface Reading {
  atMs: number;
  samples: readonly MetricSample[];
}

const fits = (sample: MetricSample, { metric, labels }: ShownFigure): boolean =>
  sample.name === metric && Object.entries(labels).every(([name, value]) => sample.labels[name] === value);

/** The sum of the samples that a figure is made of; null where there is none. */
function sumOf({ samples }: Reading, shown: ShownFigure): number | null {
  const metricSamples = samples.filter((sample) => fits(sample, shown) && Number.isFinite(sample.value));
  return metricSamples.length === 0 ? null : metricSamples.reduce((sum, sample) => sum + sample.value, 0);
}

/**
 * What the figures come to. A rate needs a reading before; a counter that is lower than it was has begun anew, so it has grown by what it
 * shows (as the OpenMetrics text on counter resets has it, 1.0, 5.1.2).
 */
export function figuresOf(shown: readonly ShownFigure[], now: Reading, before: Reading | null): Record<string, number | null> {
  return Object.fromEntries(
    shown.map((figure) => {
      const value = sumOf(now, figure);
      if (value === null) return [figure.id, null];
      if (figure.as === 'value') return [figure.id, value * figure.scale];
      const was = before === null ? null : sumOf(before, figure);
      const seconds = before === null ? 0 : (now.atMs - before.atMs) / 1000;
      if (was === null || seconds <= 0) return [figure.id, null];
      return [figure.id, ((value < was ? value : value - was) / seconds) * figure.scale];
    }),
  );
}

/** The figures that an exposition offers, each as one would show it: counters as rates, shares in per cent. */
export function offeredFigures({ families, samples }: Exposition): ShownFigure[] {
  const names = [...new Set(samples.map((sample) => sample.name))].filter((name) => !/_(created|bucket)$/.test(name));
  // What all names begin with, such as the program's own, tells nothing.
  const [first = ''] = names;
  const prefix = /^[^_]+_/.exec(first)?.[0] ?? '';
  const common = names.length > 1 && names.every((name) => name.startsWith(prefix)) ? prefix.length : 0;
  return names.flatMap((metric, at): ShownFigure[] => {
    const family = familyOf(metric, families);
    if (family?.type === 'info' || family?.type === 'stateset') return [];
    const isCounter = family?.type === 'counter' || /_(total|count|sum)$/.test(metric);
    const isRatio = family?.unit === 'ratio' || metric.endsWith('_ratio');
    const isBytes = family?.unit === 'bytes' || /_bytes(_total)?$/.test(metric);
    const plain = metric
      .slice(common)
      .replace(/_total$/, '')
      .replace(/_(ratio|bytes)$/, '')
      .replaceAll('_', ' ');
    const unit = isBytes ? 'MB' : (family?.unit ?? '');
    return [
      {
        id: `f${at + 1}`,
        metric,
        labels: {},
        name: plain,
        unit: isRatio ? '%' : isCounter ? `${unit}/s` : unit,
        as: isCounter ? 'rate' : 'value',
        scale: isRatio ? 100 : isBytes ? 1e-6 : 1,
      },
    ];
  });
}

/** How many readings may be missed before a line is broken. */
const gapReadings = 2.5;

/** Points of watches as series for lanes: a reading that failed, or did not come, is a gap. */
export function hostSeries(watches: readonly Watch[], points: readonly HostPoint[]): HostSeries[] {
  return watches.flatMap((watch) => {
    const hostPoints = points.filter((point) => point.watch === watch.id).sort((left, right) => left.second - right.second);
    const figures = watch.kind === 'machine' ? machineFigures : watch.shown;
    return figures.map(({ id, name, unit }): HostSeries => {
      const line: [number, number | null][] = [];
      for (const { second, values } of hostPoints) {
        const last = line.at(-1);
        if (last && second - last[0] > gapReadings * watch.everySeconds) line.push([last[0] + watch.everySeconds, null]);
        line.push([second, values[id] ?? null]);
      }
      return { id: `${watch.id}/${id}`, host: watch.name, name, unit, points: line };
    });
  });
}
