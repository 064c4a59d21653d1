import { existsSync, statSync } from 'node:fs';
import {
  baselineOf,
  seriesPoints,
  type Catalogue,
  type SeriesKey,
  type SeriesPoints,
  compareRuns,
  crewsOf,
  compareStep,
  reportDocument,
  findingsOf,
  type Histories,
  trendOf,
  type Baseline,
  type Finding,
  type FindingGround,
  type HostSeries,
  type MeasuredRun,
  type RunComparison,
  type Trend,
  patternProblem,
  readPatterns,
  previewPattern,
  readScript,
  writeScript,
  sideOfRehearsal,
  sideOfTake,
  SourceFinder,
  handOffValue,
  heldBy,
  layBeside,
  scriptFromTake,
  shownSigns,
  searchTake,
  splice,
  suggestChecks,
  surveyTake,
  tryCheck,
  type BesideRow,
  type FromTakeOptions,
  type Survey,
  judgeRehearsal,
  lanesOf,
  querySamples,
  usersOf,
  Workbench,
  prove,
  repair,
  lookupsOf,
  runResult,
  secretSentAfter,
  runTable,
  type Captured,
  type Extractor,
  type FailureSign,
  type Handoff,
  type HandoffPattern,
  type PatternFind,
  type Proof,
  type Proposal,
  type TextProblem,
  type Trial,
  type Check,
  type CheckSuggestion,
  type CodeStep,
  type Correlated,
  type Experiment,
  type Frame,
  type LanePoint,
  type LoadedTake,
  type Progress,
  type Rehearsal,
  type ReportDocument,
  type ReportMaterial,
  type ReportTemplate,
  type Run,
  type RunResult,
  type RunTable,
  type RunTableBy,
  type Script,
  type SamplePage,
  type SampleQuery,
  type SamplesKept,
  type SourcePlace,
  type ShownSigns,
  type Side,
  type Sources,
  type Spliced,
  type SpliceWish,
  type Tidy,
  type StepDifference,
  type UserFigures,
  type TriedCode,
} from '@sturdy/core';
import seedrandom from 'seedrandom';
import { readSamples } from '../samples/sample-files.js';
import type { StoredRehearsal } from './stored-rehearsal.js';
import type { StoredTake } from '../store/repository.js';
import { answerHelpers, correlateInThreads } from './correlate-in-threads.js';
import { tryCode } from './try-code.js';
import { writeDocument, type DocumentFormat } from '../documents/write-document.js';
import { readCatalogue, readRunTables, writeRunTables } from '../samples/run-table-files.js';
import { writeSheet } from './write-sheet.js';

/** What the traffic of a take tells of what was typed in it, by the numbers of gestures. */
export interface TypedTexts {
  /** What masked fields held; those that nobody knows are absent. */
  secrets: Record<number, string>;
  /** What was typed to look something up. */
  lookups: number[];
}

const load = (stored: StoredTake): LoadedTake => ({
  take: stored.take,
  exchanges: stored.exchanges,
  readBody: (hash) => stored.bodies[hash],
  readBytes: (hash) => stored.bytes[hash],
});

const capturedOf = ({ steps, bodies }: StoredRehearsal): Captured => ({ steps, missing: [], readBody: (hash) => bodies[hash] });
const answersOf = ({ bodies, ...rest }: StoredRehearsal) => ({ ...rest, readBody: (hash: string) => bodies[hash] });

const sideOf = (script: Script, { steps, bodies }: StoredRehearsal): Side => sideOfRehearsal(script, steps, (hash) => bodies[hash]);

/** Samples of the run that was asked for last; kept, because reading them takes longer than looking through them. */
let sampled: { key: string; read: ReturnType<typeof readSamples> } | null = null;

/** The samples of a file; read again where it has grown. */
async function samplesOf(path: string): ReturnType<typeof readSamples> {
  const key = `${path}:${existsSync(path) ? statSync(path).size : 0}`;
  if (sampled?.key !== key) sampled = { key, read: readSamples(path) };
  return sampled.read;
}

/** The tables of the run whose series were looked at last; kept, because reading them takes longer than finding a series. */
let explored: { folder: string; read: ReturnType<typeof readRunTables> } | null = null;

async function exploredTables(folder: string): ReturnType<typeof readRunTables> {
  if (explored?.folder !== folder) explored = { folder, read: readRunTables(folder) };
  return explored.read;
}

/** What the handoff screen works on; kept from one try to the next, because reading a large take takes longer than trying. */
let bench: { key: string; workbench: Workbench } | null = null;

/** What the screen of values in doubt works on; kept from one value to the next for the same reason. */
let sourcesOpen: { key: string; finder: SourceFinder } | null = null;

/** Work that would stall the API, each a plain function of plain data; run in a thread of its own. */
export const tasks = {
  /** Makes ready what correlating needs, while nobody waits for it. */
  prepareToCorrelate: (): void => {
    answerHelpers.warmUp();
  },
  correlate: (
    script: Script,
    take: StoredTake,
    second: StoredTake | null,
    patterns: readonly HandoffPattern[],
    onProgress?: Progress,
  ): Promise<Correlated> => correlateInThreads(script, load(take), second && load(second), patterns, onProgress),
  previewPattern: (take: StoredTake, pattern: HandoffPattern): PatternFind[] => previewPattern(load(take), pattern),

  judge: (
    script: Script,
    take: StoredTake,
    second: StoredTake | null,
    captured: Omit<Captured, 'readBody'> & { bodies: Record<string, string> },
  ): Pick<Rehearsal, 'steps' | 'verdict' | 'divergence' | 'notes'> =>
    judgeRehearsal(script, load(take), { ...captured, readBody: (hash) => captured.bodies[hash] }, second && load(second)),

  prove: (script: Script, take: StoredTake, second: StoredTake | null, rehearsals: StoredRehearsal[]): Proof =>
    prove(script, load(take), second && load(second), rehearsals.map(capturedOf)),

  handOff: (script: Script, take: StoredTake, at: { step: string; place: string }): ReturnType<typeof handOffValue> =>
    handOffValue(script, load(take), at),

  /** Lays out what values in doubt could be. The key names it; another one replaces it. */
  openSources: (key: string, script: Script, take: StoredTake, second: StoredTake | null, rehearsals: StoredRehearsal[]): void => {
    sourcesOpen = { key, finder: new SourceFinder(script, load(take), second && load(second), rehearsals.map(answersOf)) };
  },
  /** Undefined where another script is open, null where nothing is sent at the place. */
  sources: (key: string, at: SourcePlace): Sources | null | undefined => (sourcesOpen?.key === key ? sourcesOpen.finder.of(at) : undefined),
  withSource: (key: string, at: SourcePlace, candidate: string): ReturnType<SourceFinder['with']> | undefined =>
    sourcesOpen?.key === key ? sourcesOpen.finder.with(at, candidate) : undefined,

  repair: (
    script: Script,
    take: StoredTake,
    second: StoredTake | null,
    rehearsal: Rehearsal,
    proof: Proof | null,
    failed: readonly string[],
  ): Experiment => repair(script, load(take), { rehearsal, proof }, second && load(second), failed),

  /** Lays out what extractors are tried on. The key names it; another one replaces it. */
  openWorkbench: (key: string, script: Script, take: StoredTake, second: StoredTake | null, rehearsals: StoredRehearsal[]): void => {
    bench = { key, workbench: new Workbench(script, load(take), second && load(second), rehearsals.map(answersOf)) };
  },
  /** Undefined where another workbench is open. */
  tryExtractor: (key: string, handoff: Handoff, extractor: Extractor, everywhere: boolean): Trial | undefined =>
    bench?.key === key ? bench.workbench.try(handoff, extractor, everywhere) : undefined,
  proposals: (key: string, handoff: Handoff): Proposal[] | undefined =>
    bench?.key === key ? bench.workbench.proposals(handoff) : undefined,

  suggestChecks: (script: Script, take: StoredTake, second: StoredTake | null, rehearsals: StoredRehearsal[]): CheckSuggestion[] =>
    suggestChecks(script, load(take), second && load(second), rehearsals.map(answersOf)),
  tryCheck: (
    script: Script,
    take: StoredTake,
    second: StoredTake | null,
    rehearsals: StoredRehearsal[],
    step: string,
    check: Check,
  ): ReturnType<typeof tryCheck> => tryCheck(script, load(take), second && load(second), rehearsals.map(answersOf), step, check),
  tryCode: (
    script: Script,
    take: StoredTake,
    rehearsal: StoredRehearsal | null,
    after: string | null,
    code: Pick<CodeStep, 'source' | 'timeMs' | 'memoryMb'>,
  ): Promise<TriedCode[]> => tryCode(script, load(take), rehearsal, after, code),

  writeScript: (script: Script): string => writeScript(script),
  /** What is wrong with the text, or the script with its own ids. */
  readScript: (text: string, script: Script): { script: Script; problems: TextProblem[] } => {
    const read = readScript(text, script);
    return 'problems' in read ? { script, problems: read.problems } : { script: read.script, problems: [] };
  },
  compareWithTake: (script: Script, step: string, take: StoredTake, right: StoredRehearsal): StepDifference =>
    compareStep(script, step, sideOfTake(script, load(take)), sideOf(script, right)),
  compareRehearsals: (script: Script, step: string, left: StoredRehearsal, right: StoredRehearsal): StepDifference =>
    compareStep(script, step, sideOf(script, left), sideOf(script, right)),

  shownSigns: (script: Script, take: StoredTake, signs: readonly FailureSign[]): ShownSigns => shownSigns(script, load(take), signs),
  heldBy: (take: StoredTake, sign: FailureSign, most: number): ReturnType<typeof heldBy> => heldBy(load(take), sign, most),
  splice: (
    script: Script,
    take: StoredTake,
    storedTake: StoredTake,
    wish: SpliceWish,
    tidy: Tidy,
    patterns: readonly HandoffPattern[],
  ): Spliced => splice(script, load(take), load(storedTake), wish, tidy, patterns),
  survey: (take: StoredTake): Survey => surveyTake(load(take)),
  scriptFromTake: (take: StoredTake, options: FromTakeOptions): Script => scriptFromTake(load(take), options),
  search: (take: StoredTake, text: string): ReturnType<typeof searchTake> => searchTake(load(take), text),
  beside: (first: StoredTake, second: StoredTake): BesideRow[] => layBeside(load(first), load(second)),

  /** A report of a run as a document. Charts, and what writes files, are large, so they are loaded when somebody wants a document. */
  reportDocument: async (template: ReportTemplate, material: Omit<ReportMaterial, 'draw'>): Promise<ReportDocument> => {
    const { drawChart } = await import('../documents/draw-chart.js');
    return reportDocument(template, { ...material, draw: drawChart });
  },
  writeDocument: (document: ReportDocument, format: DocumentFormat): Promise<Uint8Array> => writeDocument(document, format),
  writeSheet: (...args: Parameters<typeof writeSheet>): Promise<Uint8Array> => writeSheet(...args),
  patternProblem: (...args: Parameters<typeof patternProblem>): string | null => patternProblem(...args),
  readPatterns: (...args: Parameters<typeof readPatterns>): ReturnType<typeof readPatterns> => readPatterns(...args),
  runResult: (run: Run, frames: Frame[], scripts: Script[], hosts: HostSeries[] = []): RunResult => runResult(run, frames, scripts, hosts),
  lanes: (frames: readonly Frame[]): LanePoint[] => lanesOf(frames),
  /** What the analysis noticed in a run. The same run tells the same: its draws come from its id. */
  typedTexts: (stored: StoredTake): TypedTexts => {
    const take = load(stored);
    const secrets = (take.take.gestures ?? []).flatMap((gesture) => {
      const secret = gesture.act.kind === 'type' && gesture.act.isSecret ? secretSentAfter(take, gesture) : null;
      return secret === null ? [] : [[gesture.n, secret] as const];
    });
    return { secrets: Object.fromEntries(secrets), lookups: lookupsOf(take) };
  },
  findings: (ground: Omit<FindingGround, 'random'>): Finding[] => findingsOf({ ...ground, random: seedrandom(ground.run.id) }),
  baseline: (run: Run, frames: Frame[]): Baseline => baselineOf(run, frames),
  compareRuns: (measured: MeasuredRun[], scripts: Script[], histories: Histories): RunComparison =>
    compareRuns(measured, scripts, seedrandom(measured.map(({ result }) => result.run.id).join()), histories),
  /** The crews of one run side by side. */
  compareCrews: (measured: MeasuredRun, scripts: Script[]): RunComparison =>
    compareRuns(crewsOf(measured, scripts), scripts, seedrandom(measured.result.run.id)),
  trend: (measured: MeasuredRun[]): Trend => trendOf(measured, seedrandom('trend')),
  /** One page of the samples of a file, and how many are kept; null where none were. */
  samples: async (path: string, query: SampleQuery): Promise<(SamplePage & SamplesKept) | null> => {
    const read = await samplesOf(path);
    return read && { ...querySamples(read.table, query), ...read.kept };
  },
  sampledUsers: async (path: string, query: SampleQuery): Promise<UserFigures[]> => {
    const read = await samplesOf(path);
    return read ? usersOf(read.table, query) : [];
  },
  /** Writes what a run measured as files of tables. */
  writeRunTables: (...args: Parameters<typeof writeRunTables>): Promise<void> => writeRunTables(...args),
  catalogue: (folder: string): Promise<Catalogue> => readCatalogue(folder),
  series: async (folder: string, keys: readonly SeriesKey[]): Promise<SeriesPoints[]> => {
    const tables = await exploredTables(folder);
    return keys.map((key) => seriesPoints(tables, key));
  },
  runTable: (run: Run, frames: Frame[], scripts: Script[], by: RunTableBy): RunTable => runTable(run, frames, scripts, by),
};

/** The tasks as the rest of the server calls them. */
export type Compute = {
  [K in keyof typeof tasks]: (...args: Parameters<(typeof tasks)[K]>) => Promise<Awaited<ReturnType<(typeof tasks)[K]>>>;
};
