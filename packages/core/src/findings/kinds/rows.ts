import { isSecretName } from '../../secrets/masks.js';
import {
  blockedDeviation,
  hypergeometricTail,
  median,
  normalQuantile,
  ranksOf,
  scoreBlock,
  type ScoreBlock,
} from '../../statistics/index.js';
import type { Finding } from '../finding.schema.js';
import { failedText, figureText, type PlayedTable, type PreparedGround } from '../ground.js';

/** Parts of the hold within which rows are compared, so that rows which came at a busy time are not blamed for it. */
const blocks = 20;
/** Iterations that a row or a value must have been played in to be judged, and failures that are not taken for an accident. */
const fewestPlays = 10;
const fewestFailures = 5;
/** Findings of each sort that a table may give. */
const mostTold = 3;

/** An iteration that a row was played in. */
interface Play {
  /** Of its crew and its part of the hold. */
  block: string;
  row: number;
  /** What its transactions took, in ms; null where it failed. */
  ms: number | null;
}

/** Rows that have something in common: one row alone, or all with the same value in a column. */
interface RowGroup {
  /** Names them in a sentence. */
  name: string;
  rows: ReadonlySet<number>;
}

/** Rows and values of data with which iterations fail, or take longer, by more than chance. */
export function unusualRows(ground: PreparedGround): Finding[] {
  return ground.tables.flatMap((table) => {
    const plays = playsOf(ground, table);
    const groups = groupsOf(table);
    return [...failing(ground, table, groups, plays), ...slow(ground, table, groups, plays)];
  });
}

function playsOf({ frames, hold }: PreparedGround, table: PlayedTable): Play[] {
  const width = (hold.toSecond - hold.fromSecond) / blocks;
  const plays: Play[] = [];
  for (const { second, playedRows } of frames) {
    if (second < hold.fromSecond || second >= hold.toSecond) continue;
    const part = Math.floor((second - hold.fromSecond) / width);
    for (const { crew, passed, passedMs, failed } of (playedRows ?? []).filter((played) => played.table === table.id)) {
      const block = `${part} ${crew}`;
      plays.push(...passed.map((row, at) => ({ block, row, ms: passedMs[at] ?? 0 })), ...failed.map((row) => ({ block, row, ms: null })));
    }
  }
  // A row that is in the table no more has no values to compare.
  return plays.filter(({ row }) => table.rows.has(row));
}

/** What rows can be told by. Values that name a single row are told as that row; what may be a secret is never told. */
function groupsOf({ columns, rows }: PlayedTable): RowGroup[] {
  const byValue = columns.flatMap((column, at) => {
    if (isSecretName(column)) return [];
    const values = new Map<string, Set<number>>();
    for (const [row, cells] of rows) {
      const value = cells[at] ?? '';
      const known = values.get(value);
      if (known) known.add(row);
      else values.set(value, new Set([row]));
    }
    return [...values].filter(([, of]) => of.size > 1).map(([value, of]) => ({ name: `“${column}” = “${value}”`, rows: of }));
  });
  return [...byValue, ...[...rows.keys()].map((row) => ({ name: `row ${row}`, rows: new Set([row]) }))];
}

/** A sort of unusual rows: what is compared, and which group is told of those that are above chance. */
interface Sort {
  /** Scores of the iterations of one block. */
  scoresOf: (plays: readonly Play[]) => number[];
  /** `chance` is that of one group, where all that are judged share the one of the rules. */
  isTold: (own: readonly Play[], others: readonly Play[], chance: number) => boolean;
}

/** Groups that score above chance, the clearest first; each is looked for among what those before it do not explain. */
function standingOut(
  groups: readonly RowGroup[],
  plays: readonly Play[],
  { scoresOf, isTold }: Sort,
  mostChance: number,
): { group: RowGroup; own: Play[]; others: Play[] }[] {
  const found: { group: RowGroup; own: Play[]; others: Play[] }[] = [];
  let rest = plays;
  while (found.length < mostTold) {
    const { blocks: known, byRow } = scored(rest, scoresOf);
    const judged = groups.flatMap((group) => {
      const own = ownBlocks(group, byRow);
      const count = [...own.values()].reduce((sum, block) => sum + block.ownCount, 0);
      return count < fewestPlays || rest.length - count < fewestPlays ? [] : [{ group, own }];
    });
    const chance = mostChance / Math.max(1, judged.length);
    const limit = normalQuantile(1 - chance);
    const above = judged
      .map(({ group, own }) => ({ group, above: blockedDeviation(withSums(known, own)) }))
      .filter((candidate) => candidate.above > limit)
      .sort((left, right) => right.above - left.above);
    let clearest: (typeof found)[number] | null = null;
    for (const { group } of above) {
      const own = rest.filter(({ row }) => group.rows.has(row));
      const others = rest.filter(({ row }) => !group.rows.has(row));
      if (!isTold(own, others, chance)) continue;
      clearest = { group, own, others };
      break;
    }
    if (!clearest) break;
    found.push(clearest);
    rest = clearest.others;
  }
  return found;
}

const withSums = (blocks: ReadonlyMap<string, ReturnType<typeof scoreBlock>>, own: ReadonlyMap<string, OwnBlock>): ScoreBlock[] =>
  [...own].flatMap(([name, sums]) => {
    const block = blocks.get(name);
    return block ? [{ ...block, ...sums }] : [];
  });

type OwnBlock = Pick<ScoreBlock, 'ownCount' | 'ownSum'>;

/** Scores every iteration within its block; gives what is known of each block, and what each row has of it. */
function scored(plays: readonly Play[], scoresOf: Sort['scoresOf']) {
  const byBlock = new Map<string, Play[]>();
  for (const play of plays) {
    const known = byBlock.get(play.block);
    if (known) known.push(play);
    else byBlock.set(play.block, [play]);
  }
  const blocks = new Map<string, ReturnType<typeof scoreBlock>>();
  const byRow = new Map<number, Map<string, OwnBlock>>();
  for (const [name, inBlock] of byBlock) {
    const scores = scoresOf(inBlock);
    blocks.set(name, scoreBlock(scores));
    inBlock.forEach(({ row }, at) => {
      const own = byRow.get(row) ?? new Map<string, OwnBlock>();
      byRow.set(row, own);
      addTo(own, name, { ownCount: 1, ownSum: scores[at] ?? 0 });
    });
  }
  return { blocks, byRow };
}

function addTo(own: Map<string, OwnBlock>, name: string, { ownCount, ownSum }: OwnBlock): void {
  const known = own.get(name);
  if (known) {
    known.ownCount += ownCount;
    known.ownSum += ownSum;
  } else own.set(name, { ownCount, ownSum });
}

function ownBlocks({ rows }: RowGroup, byRow: ReadonlyMap<number, ReadonlyMap<string, OwnBlock>>): Map<string, OwnBlock> {
  const own = new Map<string, OwnBlock>();
  for (const row of rows) for (const [name, sums] of byRow.get(row) ?? []) addTo(own, name, sums);
  return own;
}

const failuresOf = (plays: readonly Play[]): number => plays.filter(({ ms }) => ms === null).length;
const levelOf = (plays: readonly Play[]): number => median(plays.map(({ ms }) => ms ?? 0));

function failing({ rules, hold }: PreparedGround, { name }: PlayedTable, groups: readonly RowGroup[], plays: readonly Play[]): Finding[] {
  const sort: Sort = {
    scoresOf: (inBlock) => inBlock.map(({ ms }) => (ms === null ? 1 : 0)),
    // Few failures are not spread as the normal distribution has it, so the exact test has to agree.
    isTold: (own, others, chance) =>
      failuresOf(own) >= fewestFailures &&
      hypergeometricTail(failuresOf(own), failuresOf(own) + failuresOf(others), own.length + others.length, own.length) < chance,
  };
  return standingOut(groups, plays, sort, rules.mostChance).map(({ group, own, others }) => ({
    id: `rows failing ${name} ${group.name}`,
    kind: 'groups',
    severity: 'notable',
    sentence: `Iterations with ${group.name} of “${name}” fail more often than chance explains: ${failedText(failuresOf(own), own.length, 'iterations')}, the others ${failedText(failuresOf(others), others.length, 'iterations')}.`,
    explanation:
      'Others were played at the same times and did not fail as often. Look at what the system holds for these: a customer that is locked, an item that is not there, a value that a rule refuses.',
    ...hold,
    series: [],
    chart: null,
  }));
}

function slow({ rules, hold }: PreparedGround, { name }: PlayedTable, groups: readonly RowGroup[], plays: readonly Play[]): Finding[] {
  const sort: Sort = {
    scoresOf: (inBlock) => ranksOf(inBlock.map(({ ms }) => ms ?? 0)),
    isTold: (own, others) => levelOf(own) > (1 + rules.leastShare) * levelOf(others),
  };
  const passed = plays.filter(({ ms }) => ms !== null);
  return standingOut(groups, passed, sort, rules.mostChance).map(({ group, own, others }) => ({
    id: `rows slow ${name} ${group.name}`,
    kind: 'groups',
    severity: 'notable',
    sentence: `Iterations with ${group.name} of “${name}” take longer than chance explains: ${figureText(levelOf(own))} ms in the median, the others ${figureText(levelOf(others))} ms.`,
    explanation:
      'Others were played at the same times and took less. What the system holds for these may be larger, or lie where it is slower to reach.',
    ...hold,
    series: [],
    chart: null,
  }));
}
