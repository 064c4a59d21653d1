import seedrandom from 'seedrandom';
import {
  baselineOf,
  BriefSchema,
  cellText,
  compareRuns,
  findingsOf,
  lanesOf,
  plainRules,
  plainTemplate,
  reportDocument,
  ReportTemplateSchema,
  runResult,
  signBrief,
  withFigures,
  type Block,
  type LoadCurve,
  type ReportMaterial,
  type Run,
  type Trend,
} from '../index.js';
import { simulate, type ClosedSystem } from '../test/closed-system.js';

const curve: LoadCurve = { kind: 'ramp', together: 1, rampUpSeconds: 5, holdSeconds: 120, rampDownSeconds: 0, atEnd: 'iteration' };
const system: ClosedSystem = { workers: 2, serviceSeconds: 0.04, thinkSeconds: 0.3, users: 8, curve, seed: 'a' };
const criteria: Run['workload']['criteria'] = [{ id: 'k', measure: 'p95', transaction: 'Book', limit: 40 }];
const measure = (more: Partial<ClosedSystem>, number: number, run: Partial<Run> = {}) => {
  const simulated = simulate({ ...system, ...more });
  const own: Run = {
    ...simulated.run,
    number,
    id: `r${number}`,
    verdict: 'missed',
    ...run,
    workload: { ...simulated.run.workload, criteria },
  };
  return {
    result: runResult(own, simulated.frames, simulated.scripts, simulated.hosts),
    frames: simulated.frames,
    hosts: simulated.hosts,
    scripts: simulated.scripts,
  };
};
const before = measure({ seed: 'b' }, 2, { release: '4.1' });
const run = measure({ serviceSeconds: 0.06, fails: (waiting) => waiting > 4 }, 4, {
  release: '4.2',
  events: [{ second: 60, kind: 'note', text: 'cache emptied' }],
});
const alone = simulate({ ...system, users: 1 });
const material: ReportMaterial = {
  project: 'Tidewell',
  result: run.result,
  lanes: lanesOf(run.frames),
  trend: null,
  findings: findingsOf({
    run: run.result.run,
    frames: run.frames,
    hosts: run.hosts,
    scripts: run.scripts,
    rules: plainRules,
    capacityPercent: null,
    baseline: null,
    random: seedrandom('x'),
  }),
  hosts: run.hosts,
  scripts: run.scripts,
  baseline: baselineOf({ ...alone.run, number: 1 }, alone.frames),
  comparison: compareRuns([before, run], run.scripts, seedrandom('x')),
  brief: signBrief(BriefSchema.parse({ aims: 'Hold it.', capacityPercent: 50, risks: [{ id: 'r', text: 'Few data' }] }), {
    by: 'Odile Marsh',
    role: '',
    at: '2026-11-30T10:00:00Z',
  }),
  day: '30 November 2026',
  by: 'Per Lund',
  draw: (_options, width, height) => `<svg viewBox="0 0 ${width} ${height}"></svg>`,
};
const headings = (blocks: readonly Block[]) => blocks.flatMap((block) => (block.kind === 'heading' ? [block.text] : []));
const texts = (blocks: readonly Block[]) => blocks.flatMap((block) => (block.kind === 'text' ? [block.text] : []));
const rows = (blocks: readonly Block[]) =>
  blocks.flatMap((block) => (block.kind === 'table' ? block.rows.map((cells) => cells.map(cellText)) : []));

describe('a report of a run', () => {
  const { blocks, title, facts } = reportDocument(plainTemplate, material);

  it('says what the screen says: verdict, findings, figures, comparison, baseline, failures, who agreed', () => {
    expect(title).toBe('Simulated, run 4');
    expect(facts.map(({ value }) => value)).toContain('30 November 2026, by Per Lund');
    expect(headings(blocks)).toEqual([
      'Verdict',
      'What the run shows',
      'Can the figures be trusted',
      'Transactions',
      'Course of the run',
      'Against another run',
      'Against one user alone',
      'Failures',
      'Hosts',
      'What was played',
      'What “good” is, and who agreed',
      'How the figures are defined',
    ]);
    const [criterion] = run.result.criteria;
    for (const sentence of [
      '1 of 1 criteria missed.',
      criterion?.sentence ?? 'none',
      ...(material.comparison?.sentences ?? []),
      ...run.result.trust.map((sign) => sign.sentence),
    ])
      expect(texts(blocks)).toContain(sentence);
    const summary = run.result.rows[0]?.summary;
    const book = rows(blocks).find(([name, count]) => name === 'Book' && count === summary?.count.toLocaleString('en'));
    expect(book?.slice(3, 5)).toEqual([Math.round(summary?.meanMs ?? 0).toLocaleString('en'), summary?.deviationMs.toFixed(1)]);
    expect(rows(blocks)).toContainEqual(['Odile Marsh', '', '2026-11-30 10:00', 'holds']);
    expect(
      rows(blocks).some((cells) => cells[0] === 'Book' && cells[1] === 'POST /intakes/new' && cells[2]?.startsWith('It answered 503')),
    ).toBe(true);
    expect(blocks.find((block) => block.kind === 'list')?.items).toEqual(
      ['1:00: cache emptied'].map((text) => text.replace('1:00', '01:00')),
    );
  });

  it('takes the sections that are ticked, in their order, under their own headings, with words in which figures live', () => {
    const template = ReportTemplateSchema.parse({
      id: 't',
      name: 'Ours',
      title: 'Release ~{verdict}',
      introduction: 'With ~{users} users.',
      sections: [
        { kind: 'trust', title: 'May we believe it' },
        { kind: 'text', title: 'Our view', text: 'Book took ~{p95 Book}.\n\nNext: ~{p95 Nothing}.' },
        { kind: 'verdict' },
      ],
    });
    const own = reportDocument(template, material);
    expect([own.title, ...headings(own.blocks)]).toEqual(['Release missed', 'May we believe it', 'Our view', 'Verdict']);
    expect(texts(own.blocks)[0]).toBe('With 8 users.');
    const p95 = Math.round(run.result.rows[0]?.summary.p95Ms ?? 0).toLocaleString('en');
    expect(texts(own.blocks)).toEqual(expect.arrayContaining([`Book took ${p95} ms.`, 'Next: ~{p95 Nothing}.']));
  });

  it('tells the trend over all runs where it is wanted, with a chart of what became worse', () => {
    const trend: Trend = {
      runs: [4, 5].map((number) => ({
        id: `r${number}`,
        number,
        workload: 'Peak',
        startedAt: '2026-11-30T10:00:00Z',
        release: number === 5 ? '4.2' : null,
        verdict: 'held',
        isTrusted: true,
        fromSecond: 0,
        toSecond: 60,
      })),
      transactions: [
        {
          name: 'Book',
          points: [{ value: 100, low: 95, high: 105 }, { value: 150.25, low: 140, high: 160 }],
          firstWorse: 1,
          sentence: 'Book: run 5 (4.2) is the first that is worse than chance.',
        },
        { name: 'Find', points: [{ value: 20, low: 19, high: 21 }, null], firstWorse: null, sentence: 'Find: none is worse.' },
      ],
    }; // prettier-ignore
    const template = ReportTemplateSchema.parse({ id: 't', name: 'T', sections: [{ kind: 'trend' }] });
    const { blocks } = reportDocument(template, { ...material, trend });
    expect(headings(blocks)).toEqual(['Over all runs of this workload']);
    expect(blocks.find((block) => block.kind === 'list')?.items).toEqual(trend.transactions.map(({ sentence }) => sentence));
    expect(rows(blocks)).toEqual([
      ['Book', '100.0', '150.3'],
      ['Find', '20.0', ''],
    ]);
    expect(blocks.filter((block) => block.kind === 'figure').map(({ caption }) => caption)).toEqual([
      'Book: p95 with its range of 95 % over the runs',
    ]);
    expect(reportDocument(template, { ...material, trend: { ...trend, runs: trend.runs.slice(0, 1) } }).blocks).toEqual([]);
  });

  it('leaves out what there is nothing to say of, and never calls a run that was broken off good', () => {
    const bare = reportDocument(plainTemplate, {
      ...material,
      result: { ...run.result, run: { ...run.result.run, state: 'aborted' }, failures: [] },
      comparison: null,
      trend: null,
      baseline: null,
      hosts: [],
      lanes: [],
      findings: [],
      brief: BriefSchema.parse({}),
    });
    expect(headings(bare.blocks)).toEqual([
      'Verdict',
      'Can the figures be trusted',
      'Transactions',
      'Failures',
      'What was played',
      'How the figures are defined',
    ]);
    expect(texts(bare.blocks)[0]).toBe('The run did not come to its end (aborted), so there is no verdict.');
    expect(texts(bare.blocks)).toContain('Nothing failed.');
  });
});

it('figures in a text are told by measure and transaction; what names nothing is told, and a literal sign stays', () => {
  const { text, unknown } = withFigures('~{count Book} of ~{iterations}, ~{errors Book}, ~{hold}, ~~{x}, ~{max None}', run.result);
  const summary = run.result.rows[0]?.summary;
  expect(text).toBe(
    `${summary?.count.toLocaleString('en')} of ${(run.result.iterationsPassed + run.result.iterationsFailed).toLocaleString('en')}, ${summary?.errorPercent.toFixed(2)} %, 120 s, ~{x}, ~{max None}`,
  );
  expect(unknown).toEqual(['~{max None}']);
});

it('a logo is a picture of bounded size', () => {
  const logo = (text: string) => ReportTemplateSchema.safeParse({ id: 't', name: 'T', sections: [], logo: text }).success;
  expect(
    [
      'data:image/png;base64,AAAA',
      'https://example.com/logo.png',
      'data:text/html;base64,AAAA',
      `data:image/png;base64,${'A'.repeat(800_000)}`,
    ].map(logo),
  ).toEqual([true, false, false, false]);
});
