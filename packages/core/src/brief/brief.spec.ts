import {
  askAgain,
  briefAsSigned,
  briefCriteria,
  BriefSchema,
  briefTemplates,
  fingerprintOf,
  highestAverage,
  judgeHosts,
  misfits,
  pacingForUsers,
  signBrief,
  signatureStates,
  sizingOf,
  topologyOf,
  topologySvg,
  wantedRate,
  workloadOf,
  type Brief,
  type HostSeries,
  type Script,
  type Workload,
} from '../index.js';

const brief = (more: Partial<Brief> = {}): Brief =>
  BriefSchema.parse({
    transactions: [
      {
        id: 't1',
        transaction: 'Book intake',
        ratePerHour: 600,
        peakFactor: 2,
        growthPercent: 50,
        meanMs: 800,
        percentile: { measure: 'p95', limitMs: 2000 },
      },
      { id: 't2', transaction: 'Find intake', ratePerHour: 420 },
    ],
    defaultLimit: { measure: 'p90', limitMs: 3000 },
    errorPercent: 1,
    ...more,
  });
const script = (id: string, ...names: string[]): Script =>
  ({
    id,
    name: `Script ${id}`,
    handoffs: [],
    transactions: names.map((name, at) => ({
      kind: 'transaction',
      id: `${id}${at}`,
      name,
      steps: [{ kind: 'pause', id: `p${at}`, ms: 10_000 }],
    })),
  }) as unknown as Script;
const noTime = () => 0;

describe('criteria of a brief', () => {
  it('are its limits for what is played, a default for all others, and the error rate', () => {
    const criteria = briefCriteria(brief(), ['Sign in', 'Book intake']);
    expect(criteria.map(({ measure, transaction, limit }) => [transaction, measure, limit])).toEqual([
      ['Book intake', 'mean', 800],
      ['Book intake', 'p95', 2000],
      ['Sign in', 'p90', 3000],
      [null, 'error-rate', 1],
    ]);
    expect(new Set(criteria.map(({ id }) => id)).size).toBe(criteria.length);
    expect(briefCriteria(BriefSchema.parse({}), ['Sign in'])).toEqual([]);
  });
});

describe('limits of hosts', () => {
  const series = (of: (second: number) => number | null, everySeconds = 1): HostSeries => ({
    id: 'h/processor',
    host: 'Database',
    name: 'processor',
    unit: '%',
    points: Array.from({ length: 1200 / everySeconds }, (_, at) => [at * everySeconds, of(at * everySeconds)]),
  });
  const hold = { fromSecond: 0, toSecond: 1200 };
  const limit = { id: 'l', host: '', figure: 'Processor', limit: 70, forMinutes: 5 };

  it('count a prolonged excess, and no short peak (an average over any 5 minutes, worked by hand)', () => {
    // 60 s at 100 and 240 s at 50 are 60 on average; 200 s at 100 and 100 s at 50 are 83.3.
    const peak = judgeHosts([limit], [series((second) => (second >= 600 && second < 660 ? 100 : 50))], hold);
    expect(peak).toMatchObject([{ held: true, measured: expect.closeTo(60, 6) as number }]);
    const long = judgeHosts([limit], [series((second) => (second >= 600 && second < 800 ? 100 : 50))], hold);
    expect(long).toMatchObject([
      { held: false, measured: expect.closeTo(250 / 3, 6) as number, marginPercent: expect.closeTo(-19.05, 1) as number },
    ]);
    expect(long[0]?.sentence).toBe('Database: processor 83.3 % on average at most misses the limit of 70 % by 19 %, in any 5 minutes.');
  });

  it('agree with an average that is added up for each stretch, whatever is read how often and where there are gaps', () => {
    for (const everySeconds of [1, 2, 5]) {
      const { points } = series((second) => (second % 37 === 0 ? null : 40 + 30 * Math.sin(second / 90)), everySeconds);
      const averages = points.flatMap(([end]) => {
        const own = points.flatMap(([second, value]) => (value !== null && second > end - 300 && second <= end ? [value] : []));
        return end >= 300 - everySeconds ? [own.reduce((sum, value) => sum + value, 0) / own.length] : [];
      });
      expect(highestAverage(points, 300, hold)?.value).toBeCloseTo(Math.max(...averages), 1);
    }
  });

  it('go by the whole hold where that is shorter, and say so', () => {
    const [verdict] = judgeHosts([limit], [series((second) => (second < 60 ? 80 : 0))], { fromSecond: 0, toSecond: 60 });
    expect(verdict).toMatchObject({
      held: false,
      sentence: expect.stringContaining('over the whole hold of 60 s, which is shorter than 5 minutes') as string,
    });
  });

  it('do not hold where the figure was not read, or by no host of that name', () => {
    for (const hosts of [[], [series(() => null)]])
      expect(judgeHosts([limit], hosts, hold)).toMatchObject([
        { held: false, measured: null, sentence: expect.stringContaining('cannot be judged') as string },
      ]);
    expect(judgeHosts([{ ...limit, host: 'Web' }], [series(() => 1)], hold)).toMatchObject([{ measured: null }]);
    expect(judgeHosts([{ ...limit, host: 'database' }], [series(() => 1)], hold)).toMatchObject([{ held: true }]);
  });
});

describe('sizing', () => {
  it('wants the rate of the peak, grown, in the share of the environment', () => {
    const [book] = brief().transactions;
    if (!book) throw new Error('no transaction');
    expect([wantedRate(book, 100), wantedRate(book, 50)]).toEqual([1800, 900]);
  });

  it('gives users for a rate, and the pacing for users (Little 1961): 420, 900 and 1,200 an hour at one minute are 7, 15 and 20 (common practice, no source)', () => {
    const rates = brief({
      transactions: [420, 900, 1200].map((ratePerHour, at) => ({
        id: `t${at}`,
        transaction: `T${at}`,
        ratePerHour,
        scriptId: null,
        peakHour: '',
        peakFactor: 1,
        growthPercent: 0,
        meanMs: null,
        percentile: null,
      })),
      pacing: { a: 60, b: 60, c: 60 },
    });
    const rows = sizingOf(
      rates,
      ['a', 'b', 'c'].map((id, at) => script(id, `T${at}`)),
      noTime,
    );
    expect(rows.map(({ users }) => users)).toEqual([7, 15, 20]);
    expect(rows.map((row) => pacingForUsers(row, row.users))).toEqual([60, 60, 60]);
  });

  it('leaves room over the iteration as recorded, and warns of a pacing that is shorter', () => {
    const [row] = sizingOf(brief(), [script('a', 'Book intake', 'Sign out')], noTime);
    expect(row).toMatchObject({ iterationSeconds: 20, pacingSeconds: 30, users: 15, warning: null });
    const [short] = sizingOf(brief({ pacing: { a: 10 } }), [script('a', 'Book intake', 'Sign out')], noTime);
    expect(short?.warning).toContain('longer than the pacing of 10 s');
    expect(sizingOf(brief(), [script('a', 'Nothing of it')], noTime)).toEqual([]);
  });

  it('deals each transaction to one script, counts what others bring along, and plays it by the one that was chosen', () => {
    // The finder books as well: of 1,800 bookings it brings 420.
    const scripts = [script('a', 'Book intake'), script('b', 'Book intake', 'Find intake'), script('c', 'Book intake')];
    const rates = (more: Partial<Brief> = {}) =>
      sizingOf(brief(more), scripts, noTime).map(({ scriptId, ratePerHour }) => [scriptId, ratePerHour]);
    expect(rates()).toEqual([
      ['a', 1380],
      ['b', 420],
    ]);
    const chosen = brief().transactions.map((key) => (key.id === 't1' ? { ...key, scriptId: 'c' } : key));
    expect(rates({ transactions: chosen })).toEqual([
      ['b', 420],
      ['c', 1380],
    ]);
  });

  it('makes a workload that reaches the wanted rates, which then fits; another one does not, and it is said where', () => {
    const [ownBrief, scripts] = [brief({ title: 'Peak' }), [script('a', 'Book intake'), script('b', 'Find intake')]];
    const rows = sizingOf(ownBrief, scripts, noTime);
    const workload: Workload = { ...workloadOf(ownBrief, rows), id: 'w', projectId: 'p' };
    expect(workload.name).toBe('Peak');
    for (const { scriptId, users, pacing } of workload.crews)
      expect((3600 * users) / pacing.seconds / (rows.find((row) => row.scriptId === scriptId)?.ratePerHour ?? 0)).toBeCloseTo(1, 2);
    expect(misfits(ownBrief, workload, scripts, noTime)).toEqual([]);
    const half = { ...workload, crews: workload.crews.slice(0, 1).map((crew) => ({ ...crew, users: crew.users / 2 })) };
    expect(misfits(ownBrief, half, scripts, noTime)).toEqual([
      expect.stringMatching(/^The brief wants “Book intake” 1,800 times an hour, and this workload asks for \d+ \(50 %\)\.$/),
      'The brief wants “Find intake” 420 times an hour, and this workload does not play it.',
    ]);
  });
});

describe('signatures', () => {
  const signed = signBrief(brief(), { by: 'Odile Marsh', role: 'operations', at: '2026-11-30T10:00:00Z' });

  it('hold for what was signed, whatever the order of its members, and ask again for what was changed', () => {
    expect(signatureStates(signed)).toMatchObject([{ by: 'Odile Marsh', holds: true }]);
    expect(askAgain(signed)).toBeNull();
    const turned = Object.fromEntries(Object.entries(signed).reverse()) as Brief;
    expect(fingerprintOf(turned)).toBe(fingerprintOf(signed));
    const changed = { ...signed, errorPercent: 2 };
    expect(signatureStates(changed)).toMatchObject([{ holds: false }]);
    expect(askAgain(changed)).toBe('The brief was changed after Odile Marsh signed it. Ask them again.');
  });

  it('keep what was signed, and name the parts that were changed since', () => {
    const changed: Brief = { ...signed, aims: 'Another aim.', errorPercent: 2, capacityPercent: 40, capacityReason: 'Half the processors' };
    expect(signatureStates(changed)[0]?.changed).toEqual(['aims', 'share of production', 'error rate']);
    expect(signatureStates(signed)[0]).toMatchObject({ changed: [], isKept: true });
    expect(briefAsSigned(changed, 'Odile Marsh')).toMatchObject({ aims: signed.aims, errorPercent: signed.errorPercent });
    expect(briefAsSigned(changed, 'Per Lund')).toBeNull();
    const old = { ...changed, signatures: changed.signatures.map(({ signed: _signed, ...signature }) => signature) };
    expect([signatureStates(old)[0]?.isKept, briefAsSigned(old, 'Odile Marsh')]).toEqual([false, null]);
  });

  it('of the same person are one, and do not change what others signed', () => {
    const both = signBrief(signBrief(signed, { by: 'Per Lund', role: '', at: '2026-11-30T11:00:00Z' }), {
      by: 'Odile Marsh',
      role: 'operations',
      at: '2026-12-01T10:00:00Z',
    });
    expect(signatureStates(both).map(({ by, holds }) => [by, holds])).toEqual([
      ['Per Lund', true],
      ['Odile Marsh', true],
    ]);
  });
});

describe('topology', () => {
  const hosts = ['Browser', 'Web', 'Database'].map((name) => ({ id: name, name, role: 'r', technology: 't', size: '4 processors' }));
  const links = [
    { from: 'Browser', to: 'Web', label: 'HTTPS' },
    { from: 'Web', to: 'Database', label: 'SQL & more' },
    { from: 'Web', to: 'nowhere', label: '' },
  ];

  it('puts hosts in the order in which they ask, without one over the other', () => {
    const { boxes, lines, width } = topologyOf({ hosts, links });
    const [browser, web, database] = boxes;
    if (!browser || !web || !database) throw new Error('a host is missing');
    expect([browser.x + browser.width < web.x, web.x + web.width < database.x, database.x + database.width <= width]).toEqual([
      true,
      true,
      true,
    ]);
    expect(lines.map(({ label }) => label)).toEqual(['HTTPS', 'SQL & more']);
  });

  it('is drawn as SVG in which texts are texts', () => {
    const svg = topologySvg(topologyOf({ hosts, links }));
    expect(svg).toContain('SQL &#38; more');
    expect(svg.match(/<rect/g)).toHaveLength(3);
    expect(topologyOf({ hosts: [], links: [] }).boxes).toEqual([]);
  });
});

it('templates are briefs that set limits', () => {
  for (const template of briefTemplates) {
    expect(BriefSchema.parse(template.brief)).toEqual(template.brief);
    expect(briefCriteria(template.brief, ['Any']).length).toBeGreaterThan(1);
  }
});
