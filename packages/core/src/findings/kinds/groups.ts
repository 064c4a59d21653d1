import type { FrameItem } from '../../measure/frame.schema.js';
import { deviation, mean, student975 } from '../../statistics/interval.js';
import type { Finding } from '../finding.schema.js';
import { figureText, type PreparedGround } from '../ground.js';

/** Blocks that a hold is cut into: their means are nearly independent of each other (batch means; Conway 1963). */
const blocks = 20;
/** Samples of a transaction that a group must have in a block to count. */
const fewest = 3;

/** Samples of one block and the sum of their times in ms. */
interface Block {
  count: number;
  sum: number;
}
const noBlocks = (): Block[] => Array.from({ length: blocks }, () => ({ count: 0, sum: 0 }));

/** What differs between crews, or between generators, by more than chance: the same transaction, played by both. */
export function groupDifferences(ground: PreparedGround): Finding[] {
  const { run, frames } = ground;
  const crewName = (id: string) => run.workload.crews.find((crew) => crew.id === id)?.name ?? id;
  const byGenerator = frames.map(({ second, generator, items }) => ({ second, group: () => `Generator ${generator + 1}`, items }));
  const byCrew = frames.map(({ second, items }) => ({ second, group: (item: FrameItem) => crewName(item.crew), items }));
  return [...differences(ground, 'generator', byGenerator), ...differences(ground, 'crew', byCrew)];
}

interface Grouped {
  second: number;
  group: (item: FrameItem) => string;
  items: readonly FrameItem[];
}

function differences({ hold, rules }: PreparedGround, by: string, frames: readonly Grouped[]): Finding[] {
  const width = (hold.toSecond - hold.fromSecond) / blocks;
  if (width < 1) return [];
  /** By transaction and group. */
  const all = new Map<string, Map<string, Block[]>>();
  for (const { second, group, items } of frames) {
    if (second < hold.fromSecond || second >= hold.toSecond) continue;
    const block = Math.min(blocks - 1, Math.floor((second - hold.fromSecond) / width));
    for (const item of items) {
      if (item.step !== null) continue;
      const groups = all.get(item.transaction) ?? new Map<string, Block[]>();
      all.set(item.transaction, groups);
      const tallies = groups.get(group(item)) ?? noBlocks();
      groups.set(group(item), tallies);
      const tally = tallies[block];
      if (tally) {
        tally.count += item.tally.count;
        tally.sum += item.tally.sum;
      }
    }
  }
  const found: Finding[] = [];
  for (const [transaction, groups] of all) {
    if (groups.size < 2) continue;
    const level = (tallies: readonly Block[]) =>
      tallies.reduce((sum, tally) => sum + tally.sum, 0) / tallies.reduce((sum, tally) => sum + tally.count, 0);
    const ordered = [...groups].sort(([, left], [, right]) => level(right) - level(left));
    const [slowest, ...rest] = ordered;
    if (!slowest) continue;
    const others = rest.reduce(
      (sums, [, tallies]) =>
        sums.map(({ sum, count }, at) => ({ sum: sum + (tallies[at]?.sum ?? 0), count: count + (tallies[at]?.count ?? 0) })),
      noBlocks(),
    );
    const gaps = slowest[1].flatMap((own, at) => {
      const other = others[at];
      return own.count >= fewest && other && other.count >= fewest ? [own.sum / own.count - other.sum / other.count] : [];
    });
    if (gaps.length < blocks / 2) continue;
    const gap = mean(gaps);
    // The slowest of several is the slowest by chance too: the interval is as wide as for that many comparisons.
    const reach = (student975(gaps.length - 1) * Math.sqrt(groups.size - 1) * deviation(gaps)) / Math.sqrt(gaps.length);
    const otherLevel = others.reduce((sum, other) => sum + other.sum, 0) / others.reduce((sum, other) => sum + other.count, 0);
    if (gap - reach <= 0 || gap < rules.leastShare * otherLevel) continue;
    found.push({
      id: `groups ${by} ${transaction}`,
      kind: 'groups',
      severity: 'notable',
      sentence: `“${transaction}” takes ${figureText(gap)} ms longer for ${by === 'crew' ? `crew ${slowest[0]}` : slowest[0]} than for ${groups.size === 2 ? `${by === 'crew' ? 'crew ' : ''}${rest[0]?.[0] ?? ''}` : 'the others'} (95 % sure: ${figureText(gap - reach)} to ${figureText(gap + reach)} ms).`,
      explanation:
        by === 'generator'
          ? 'All generators play the same; a difference is of the machine or the way to the system, and not of the system itself.'
          : 'The same transaction differs between crews: by their data, their line or what they did before.',
      fromSecond: hold.fromSecond,
      toSecond: hold.toSecond,
      series: [],
      chart: null,
    });
  }
  return found;
}
