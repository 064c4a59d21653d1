import type { HostSeries } from '../hosts/watch.schema.js';
import type { OwnFigures } from '../measure/frame.schema.js';
import type { LanePoint } from './run.schema.js';

/** What generators tell of themselves, as figures of a host. */
const generatorFigures = [
  { id: 'busy', name: 'at work', unit: '%', of: (figures: OwnFigures) => 100 * figures.busy },
  { id: 'heap', name: 'memory of its objects', unit: 'MB', of: (figures: OwnFigures) => figures.heapMb },
  { id: 'sockets', name: 'open connections', unit: '', of: (figures: OwnFigures) => figures.sockets },
];

/** Series of the generators of a run, from its lanes; none for a run of an earlier version. */
export function generatorSeries(points: readonly Pick<LanePoint, 'second' | 'generators'>[]): HostSeries[] {
  const all = new Set(points.flatMap((point) => (point.generators ?? []).map(({ generator }) => generator)));
  return [...all]
    .sort((left, right) => left - right)
    .flatMap((generator) =>
      generatorFigures.map(({ id, name, unit, of }) => ({
        id: `generator ${generator}/${id}`,
        host: `Generator ${generator + 1}`,
        name,
        unit,
        points: points.flatMap(({ second, generators = [] }): [number, number | null][] => {
          const ownGenerator = generators.find((series) => series.generator === generator);
          return ownGenerator ? [[second, of(ownGenerator)]] : [];
        }),
      })),
    );
}
