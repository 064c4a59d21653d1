import { figuresOf, hostSeries, offeredFigures, readOpenMetrics, WatchSchema, type ShownFigure, type Watch } from '../index.js';

const figure = (more: Partial<ShownFigure>): ShownFigure => ({
  id: 'f',
  metric: 'acme_http_router_request_seconds_count',
  labels: {},
  name: 'requests',
  unit: '/s',
  as: 'rate',
  scale: 1,
  ...more,
});
/** The example exposition of OpenMetrics 1.0, 4.6, from memory, cut to what is compared. */
const example = `# TYPE acme_http_router_request_seconds summary
# UNIT acme_http_router_request_seconds seconds
# HELP acme_http_router_request_seconds Latency though all of ACME's HTTP request router.
acme_http_router_request_seconds_sum{path="/api/v1",method="GET"} 9036.32
acme_http_router_request_seconds_count{path="/api/v1",method="GET"} 807283.0
acme_http_router_request_seconds_created{path="/api/v1",method="GET"} 1605281325.0
acme_http_router_request_seconds_sum{path="/api/v2",method="POST"} 479.3
acme_http_router_request_seconds_count{path="/api/v2",method="POST"} 34.0
# TYPE go_goroutines gauge
# HELP go_goroutines Number of goroutines that currently exist.
go_goroutines 69
# TYPE process_cpu_seconds counter
# UNIT process_cpu_seconds seconds
# HELP process_cpu_seconds Total user and system CPU time spent in seconds.
process_cpu_seconds_total 4.20072246e+06
# EOF
`;

describe('OpenMetrics text', () => {
  it('is read with its families and labels (OpenMetrics 1.0, 4)', () => {
    const { families, samples, problems } = readOpenMetrics(example);
    expect(problems).toEqual([]);
    expect(families.map((family) => [family.name, family.type, family.unit])).toEqual([
      ['acme_http_router_request_seconds', 'summary', 'seconds'],
      ['go_goroutines', 'gauge', ''],
      ['process_cpu_seconds', 'counter', 'seconds'],
    ]);
    expect(samples).toHaveLength(7);
    expect(samples[1]).toEqual({
      name: 'acme_http_router_request_seconds_count',
      labels: { path: '/api/v1', method: 'GET' },
      value: 807283,
    });
    expect(samples.at(-1)?.value).toBe(4_200_722.46);
  });

  it('has escapes, times, exemplars, infinities, and lines that are nothing (4.1 to 4.4)', () => {
    const { samples, problems } = readOpenMetrics(
      'a{b="x\\\\y\\"z\\n"} 1 1520879607.789 # {id="KOO5S4vxi0o"} 0.67\nfoo_bucket{le="+Inf"} +Inf\nnone NaN\nbroken{b=} 1\nwhat is this\nc{} 2\r\n',
    );
    expect(samples).toEqual([
      { name: 'a', labels: { b: 'x\\y"z\n' }, value: 1 },
      { name: 'foo_bucket', labels: { le: '+Inf' }, value: Infinity },
      { name: 'none', labels: {}, value: NaN },
      { name: 'c', labels: {}, value: 2 },
    ]);
    expect(problems.map((problem) => problem.line)).toEqual([4, 5]);
  });
});

describe('figures of a host', () => {
  const at = (atMs: number, text: string) => ({ atMs, samples: readOpenMetrics(text).samples });

  it('add up what fits, grow by the second, and begin anew where a counter does', () => {
    const [before, after] = [at(1000, 'c{a="1"} 10\nc{a="2"} 5\n'), at(3000, 'c{a="1"} 16\nc{a="2"} 9\n')];
    const shown = [figure({ metric: 'c' }), figure({ id: 'one', metric: 'c', labels: { a: '1' } }), figure({ id: 'gone', metric: 'd' })];
    expect(figuresOf(shown, after, before)).toEqual({ f: 5, one: 3, gone: null });
    expect(figuresOf(shown, after, null)).toEqual({ f: null, one: null, gone: null });
    expect(figuresOf([figure({ metric: 'c' })], at(5000, 'c{a="1"} 4\n'), after)).toEqual({ f: 2 });
    expect(figuresOf([figure({ metric: 'c', as: 'value', scale: 100 })], before, null)).toEqual({ f: 1500 });
  });

  it('are offered as one would show them: counters as rates, shares in per cent', () => {
    const offered = offeredFigures(readOpenMetrics('# TYPE yard_busy_ratio gauge\n# UNIT yard_busy_ratio ratio\nyard_busy_ratio 0.4\n# TYPE yard_served counter\nyard_served_total 7\nyard_memory_bytes 2e6\n')); // prettier-ignore
    expect(offered.map(({ name, unit, as, scale }) => [name, unit, as, scale])).toEqual([
      ['busy', '%', 'value', 100],
      ['served', '/s', 'rate', 1],
      ['memory', 'MB', 'value', 1e-6],
    ]);
  });

  it('show gaps as gaps', () => {
    const watch: Watch = { id: 'w', name: 'Yard', kind: 'open-metrics', url: 'http://127.0.0.1:1/m', everySeconds: 2, shown: [figure({ as: 'value' })] }; // prettier-ignore
    const point = (second: number, value: number | null) => ({ watch: 'w', second, values: { f: value }, problem: null });
    expect(hostSeries([watch], [point(8, 3), point(0, 1), point(2, null)])).toEqual([
      { id: 'w/f', host: 'Yard', name: 'requests', unit: '/s', points: [[0, 1], [2, null], [4, null], [8, 3]] }, // prettier-ignore
    ]);
    expect(WatchSchema.safeParse({ ...watch, url: 'tcp://127.0.0.1:1' }).error?.message).toMatch(/Write an address, such as/);
  });
});
