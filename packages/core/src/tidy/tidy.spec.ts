import { scriptFromTake } from '../script-from-take/from-take.js';
import { allSteps, type Step } from '../script/step.schema.js';
import { requestSteps, type Script } from '../script/script.schema.js';
import type { RequestExchange, Header, LoadedTake, Mark } from '../take/take.schema.js';
import { html, json, TakeBuilder } from '../test/take-builder.js';
import { signInsInAddresses, withSignIns } from '../secrets/in-addresses.js';
import { keeping, leftOutOf } from './left-out.js';
import { surveyTake } from './survey.js';
import { everything, type Tidy } from './tidy.schema.js';

const css: Header[] = [['Content-Type', 'text/css']];
const scriptOf = (loaded: LoadedTake, tidy: Tidy = surveyTake(loaded).proposal): Script =>
  scriptFromTake(loaded, { scriptId: 's', name: 'S', tidy });
const words = (steps: readonly Step[]): string[] =>
  steps.map((step) => {
    if (step.kind === 'request') return step.name + (step.hops ? ` +${step.hops.length}` : '');
    if (step.kind === 'side-by-side') return `[${step.steps.map((requestStep) => requestStep.name).join(' | ')}]`;
    if (step.kind === 'repeat') return `${step.times} x ${words(step.steps).join(', ')} / ${step.pauseMs}`;
    return step.kind;
  });
const steps = (script: Script) =>
  words(script.transactions.flatMap((transaction) => transaction.steps).filter((step) => step.kind !== 'pause'));

/** A take in which each exchange can be given its own host and times. */
function take(
  build: (builder: TakeBuilder) => TakeBuilder,
  change: (exchange: RequestExchange) => Partial<RequestExchange> = () => ({}),
  marks: Mark[] = [],
): LoadedTake {
  const loaded = build(new TakeBuilder()).load();
  return {
    ...loaded,
    take: { ...loaded.take, marks },
    exchanges: loaded.exchanges.map((exchange) => ({ ...exchange, ...change(exchange) })),
  };
}
const at = (host: string, exchange: RequestExchange): string => exchange.url.replace('127.0.0.1:9', host);

it('a host of another name that was only asked is kept where its answer gives what is sent later', () => {
  const asked = (key: string) =>
    take(
      (builder) =>
        builder
          .add(['GET', '/home'], [200, html, '<title>Yard</title>'])
          .add(['GET', '/visit'], [200, json, '{"key":"Kx81-q7f3aa01bc9d"}'])
          .add(['GET', '/news'], [200, json, '{"news":[]}'])
          .add(['POST', '/book', [['X-Visit', key]], 'a=1'], [200, json, '{}']),
      (exchange) =>
        exchange.n === 2 ? { url: at('visits.example', exchange) } : exchange.n === 3 ? { url: at('news.example', exchange) } : {},
    );
  const rolesOf = (loaded: LoadedTake) => surveyTake(loaded).hosts.map(({ role, reason }) => [role, reason]);
  expect(rolesOf(asked('Kx81-q7f3aa01bc9d')).slice(1)).toEqual([
    ['application', 'An answer of it gives a value that is sent later.'],
    ['other', expect.stringContaining('only asked')],
  ]);
  expect(steps(scriptOf(asked('Kx81-q7f3aa01bc9d')))).toEqual(['GET /home', 'GET /visit', 'POST /book']);
  expect(steps(scriptOf(asked('fixed')))).toEqual(['GET /home', 'POST /book']);
});

describe('hosts', () => {
  const loaded = take(
    (builder) =>
      builder
        .add(['GET', '/home'], [200, html, '<title>Yard</title>'])
        .add(['GET', '/logo.css'], [200, css, 'x'])
        .add(['POST', '/collect'], [204, []])
        .add(['GET', '/sign-in?to=/home'], [302, [['Location', 'http://127.0.0.1:9/home']]])
        .add(
          ['GET', '/api/ads'],
          [
            200,
            json,
            '{"offer":"a long enough answer, with something in it that a page would show to its reader in a corner of the screen"}',
          ],
        ),
    (exchange) => ({
      url: at({ 2: 'files.example', 3: 'measure.example', 4: 'sign-in.example', 5: 'ads.example' }[exchange.n] ?? '127.0.0.1:9', exchange),
    }),
  );

  it('are told apart by what they give: the application and its sign-in stay, measuring and others go', () => {
    const survey = surveyTake(loaded);
    expect(survey.hosts.map(({ origin, role }) => [new URL(origin).hostname, role])).toEqual([
      ['127.0.0.1', 'application'],
      ['files.example', 'content'],
      ['measure.example', 'telemetry'],
      ['sign-in.example', 'application'],
      ['ads.example', 'other'],
    ]);
    expect(survey.proposal.leftOut).toEqual(['http://measure.example', 'http://ads.example']);
    expect(steps(scriptOf(loaded))).toEqual(['GET /home', 'GET /sign-in']);
  });

  it('stay where the tester says so, static files and telemetry too', () => {
    expect(steps(scriptOf(loaded, everything))).toEqual(['GET /home', 'GET /logo.css', 'POST /collect', 'GET /sign-in', 'GET /api/ads']);
  });
});

describe('polling', () => {
  const loaded = (answers: (n: number) => string) =>
    take(
      (builder) => {
        builder.add(['GET', '/home'], [200, html, '<title>Yard</title>']);
        for (let n = 0; n < 6; n++) builder.add(['GET', `/news?since=${n}`], [200, json, answers(n)]);
        return builder.add(['POST', '/leave'], [200, html, 'bye']);
      },
      (exchange) => ({ startedAtMs: exchange.n * 2000 + (exchange.n % 2) * 90 }),
    );

  it('that answers something new becomes one repeat at its interval', () => {
    const loadedTake = loaded((n) => `{"n":${n}}`);
    const [poll] = surveyTake(loadedTake).polls;
    expect(poll).toMatchObject({ name: 'GET /news', exchanges: [2, 3, 4, 5, 6, 7], sameAnswer: false });
    expect(poll?.everyMs).toBeGreaterThan(1900);
    const script = scriptOf(loadedTake);
    expect(steps(script)).toEqual([
      expect.stringMatching(/^GET \/home/),
      expect.stringMatching(/^6 x GET \/news \/ (1[89]|20)\d\d$/),
      'POST /leave',
    ]);
    expect(requestSteps(script).length).toBe(3);
  });

  it('that always answers the same is a heartbeat, and dropped', () => {
    expect(steps(scriptOf(loaded(() => '{"ok":true}')))).toEqual(['GET /home', 'POST /leave']);
  });

  it('is not seen in requests at the pace of a person', () => {
    const loadedTake = take(
      (builder) => {
        for (let n = 0; n < 6; n++) builder.add(['GET', '/list'], [200, html, String(n)]);
        return builder;
      },
      (exchange) => ({ startedAtMs: exchange.n * exchange.n * 1700 }),
    );
    expect(surveyTake(loadedTake).polls).toEqual([]);
  });
});

describe('redirects and overlaps', () => {
  it('a chain is followed in one step that expects its last answer; every answer of it can give a value', () => {
    const loaded = take((builder) =>
      builder
        .add(['POST', '/book'], [303, [['Location', '/seal?key=a1b2c3d4e5']]])
        .add(['GET', '/seal?key=a1b2c3d4e5'], [302, [['Location', '../intakes/20418']]])
        .add(['GET', '/intakes/20418'], [200, html, '<title>Intake</title>'])
        .add(['GET', '/next'], [200, html, '']),
    );
    const script = scriptOf(loaded);
    expect(steps(script)).toEqual(['POST /book +2', 'GET /next']);
    expect(requestSteps(script)[0]?.step).toMatchObject({
      followRedirects: true,
      exchange: 1,
      hops: [2, 3],
      expect: { statuses: [200], title: 'Intake' },
    });
    expect(steps(scriptOf(loaded, everything))).toEqual(['POST /book', 'GET /seal', 'GET /intakes/20418', 'GET /next']);
  });

  it('requests that ran at the same time become side by side, what waited for an answer does not', () => {
    const times: Record<number, [number, number]> = { 1: [0, 50], 2: [100, 80], 3: [120, 20], 4: [160, 40], 5: [300, 10] };
    const loaded = take(
      (builder) => {
        for (const path of ['/page', '/a', '/b', '/c', '/end']) builder.add(['GET', path], [200, json, '{}']);
        return builder;
      },
      (exchange) => ({ startedAtMs: times[exchange.n]?.[0] ?? 0, durationMs: times[exchange.n]?.[1] ?? 0 }),
    );
    // /c started after /b had ended, so it may have waited for it.
    expect(steps(scriptOf(loaded))).toEqual(['GET /page', '[GET /a | GET /b]', 'GET /c', 'GET /end']);
    expect(surveyTake(loaded).sideBySide).toEqual({ groups: 1, requests: 2 });
  });

  it('what a page asks for while it still arrives is not beside it', () => {
    const loaded = take(
      (builder) =>
        builder.add(['GET', '/page'], [200, html, '']).add(['GET', '/a'], [200, json, '{}']).add(['GET', '/b'], [200, json, '{}']),
      (exchange) => ({ startedAtMs: exchange.n * 10, durationMs: 100 }),
    );
    expect(steps(scriptOf(loaded))).toEqual(['GET /page', '[GET /a | GET /b]']);
  });

  it('a transaction that begins between two that overlap keeps them apart', () => {
    const loaded = take(
      (builder) => builder.add(['GET', '/a'], [200, json, '{}']).add(['GET', '/b'], [200, json, '{}']),
      (exchange) => ({ startedAtMs: exchange.n * 10, durationMs: 100 }),
      [{ kind: 'begin', atMs: 15, text: 'Second' }],
    );
    expect(scriptOf(loaded).transactions.map((transaction) => allSteps(transaction.steps).length)).toEqual([1, 1]);
  });
});

describe('pauses', () => {
  it('are capped, and the time in which the recording was paused does not count', () => {
    const loaded = take(
      (builder) => builder.add(['GET', '/a'], [200, html, '']).add(['GET', '/b'], [200, html, '']).add(['GET', '/c'], [200, html, '']),
      (exchange) => ({ startedAtMs: [0, 70_000, 100_000][exchange.n - 1] ?? 0 }),
      [
        { kind: 'pause', atMs: 2000, text: '' },
        { kind: 'resume', atMs: 69_000, text: '' },
      ],
    );
    const pauses = allSteps(scriptOf(loaded).transactions[0]?.steps ?? []).flatMap((step) => (step.kind === 'pause' ? [step.ms] : []));
    expect(pauses).toEqual([2990, 10_000]);
  });
});

describe('what is suspicious', () => {
  const kinds = (loaded: LoadedTake) => surveyTake(loaded).findings.map((finding) => finding.kind);

  it('a take that starts inside a session, with failed requests, answers from the cache and bodies missing', () => {
    const loaded = take((builder) =>
      builder
        .add(['GET', '/desk', [['Cookie', 'sid=1; twin=2']]], [200, html, '<script src="/app.js"></script>'])
        .add(['GET', '/style.css'], [304, css])
        .add(['GET', '/gone'], [404, html, 'no'])
        .add(
          ['GET', '/data'],
          [
            200,
            [
              ['Content-Type', 'application/json'],
              ['Content-Length', '20'],
            ],
          ],
        ),
    );
    const { findings } = surveyTake(loaded);
    expect(findings.map((finding) => finding.kind)).toEqual(['inside-a-session', 'cached', 'failed', 'missing-body']);
    expect(findings[0]?.sentence).toContain('its first request already sends the cookie “sid” and 1 more');
    expect(findings[2]).toMatchObject({ exchanges: [3], action: { label: 'Leave it out', drop: [3] } });
    expect(steps(scriptOf(loaded, { ...everything, dropped: [3] }))).not.toContain('GET /gone');
  });

  it('a cookie that the take itself set is no session before it', () => {
    const loaded = take((builder) =>
      builder
        .add(['GET', '/'], [200, [...html, ['Set-Cookie', 'sid=1; Path=/']], ''])
        .add(['GET', '/desk', [['Cookie', 'sid=1']]], [200, html, '']),
    );
    expect(kinds(loaded)).toEqual([]);
  });

  it('a part that was recorded twice, to be left out', () => {
    const part = (builder: TakeBuilder, id: number) =>
      builder
        .add(['GET', '/intakes/new'], [200, html, ''])
        .add(['POST', '/intakes/new'], [200, html, ''])
        .add(['GET', `/intakes/${id}`], [200, html, ''])
        .add(['POST', `/intakes/${id}/bay`], [200, html, '']);
    const loaded = take((builder) => part(part(builder.add(['GET', '/'], [200, html, '']), 20_418), 20_977));
    const [finding] = surveyTake(loaded).findings;
    expect(finding).toMatchObject({ kind: 'recorded-twice', action: { drop: [6, 7, 8, 9] } });
  });

  it('a clock that was set while recording (Date, RFC 9110, 6.6.1)', () => {
    const date = (ms: number): Header => ['Date', new Date(Date.parse('2026-11-23T10:00:00Z') + ms).toUTCString()];
    const loaded = take((builder) =>
      builder
        .add(['GET', '/a'], [200, [...html, date(0)], ''])
        .add(['GET', '/b'], [200, [...html, date(1000)], ''])
        .add(['GET', '/c'], [200, [...html, date(3_600_000)], '']),
    );
    expect(surveyTake(loaded).findings).toMatchObject([{ kind: 'clock-jump', exchanges: [3] }]);
  });

  it('a connection sign-in and an event stream, which a script does without', () => {
    const loaded = take(
      (builder) =>
        builder
          .add(['GET', '/'], [401, [['WWW-Authenticate', 'Digest realm="r", nonce="n"']], ''])
          .add(['GET', '/', [['Authorization', 'Digest nonce="n"']]], [200, html, ''])
          .add(['GET', '/live'], [200, [['Content-Type', 'text/event-stream']]]),
      (exchange) => (exchange.n === 3 ? { messages: [] } : {}),
    );
    expect(kinds(loaded)).toEqual(['connection-sign-in', 'not-playable']);
    expect(steps(scriptOf(loaded))).toEqual(['GET /']);
  });

  it('an empty take says what to do', () => {
    expect(surveyTake(new TakeBuilder().load()).findings).toMatchObject([{ kind: 'empty', action: { go: 'record' } }]);
  });
});

describe('requests that stand twice', () => {
  const host: Header[] = [['Host', '127.0.0.1:9']];
  /** A page, and a request that a service worker of it sent on: as the page asked, and as the network saw it while that waited. */
  const worker = (later = false) =>
    take(
      (builder) =>
        builder
          .add(['GET', '/', host], [200, html, '<title>Desk</title>'])
          .add(['GET', '/list'], [200, json, '{"all":[]}'])
          .add(['GET', '/list', host], [200, json, ''])
          .add(['GET', '/end', host], [200, html, '']),
      (exchange) => ({
        startedAtMs: { 1: 0, 2: 1000, 3: later ? 3000 : 1003, 4: 5000 }[exchange.n] ?? 0,
        durationMs: { 2: 60 }[exchange.n] ?? 20,
      }),
    );

  it('because a service worker sent them on are played once, with the answer that has a body', () => {
    const survey = surveyTake(worker());
    expect([survey.doubled, survey.proposal.dropped]).toEqual([[3], [3]]);
    expect(steps(scriptOf(worker()))).toEqual(['GET /', 'GET /list', 'GET /end']);
    expect(survey.findings.find((finding) => finding.kind === 'doubled')?.sentence).toMatch(
      /^One request stands twice, because a service worker/,
    );
    expect(leftOutOf(survey, survey.proposal)).toMatchObject([{ keep: 'doubles' }]);
    expect(keeping(survey, ['doubles']).dropped).toEqual([]);
  });

  it('are played twice where a person asked twice', () => {
    expect(surveyTake(worker(true)).doubled).toEqual([]);
  });
});

it('a user in an address is sent by HTTP Basic (RFC 7617, 2: the example with Aladdin), and found', () => {
  const loaded = take(
    (builder) => builder.add(['GET', '/api'], [200, json, '{}']).add(['GET', '/plain'], [200, json, '{}']),
    (exchange) => (exchange.n === 1 ? { url: exchange.url.replace('//', '//Aladdin:open%20sesame@') } : {}),
  );
  const [first, second] = requestSteps(scriptOf(loaded)).map(
    ({ step }) => step.headers.find((header) => header.name === 'Authorization')?.value,
  );
  expect([first, second]).toEqual([[{ kind: 'text', text: 'Basic QWxhZGRpbjpvcGVuIHNlc2FtZQ==' }], undefined]);
  expect(surveyTake(loaded).findings).toMatchObject([{ kind: 'sign-in-in-an-address', exchanges: [1], action: { go: 'environment' } }]);
});

describe('users in addresses', () => {
  const asked = (...users: string[]) =>
    take(
      (builder) => users.reduce((made) => made.add(['GET', '/api'], [200, json, '{}']), builder),
      (exchange) => ({ url: exchange.url.replace('//', `//${users[exchange.n - 1] ?? ''}`) }),
    );
  const { origin } = new URL(asked('').exchanges[0]?.url ?? '');

  it('become sign-ins of the environment, at the origin that is hit, and the script sends them no more', () => {
    const loaded = asked('kim:tulip@', '', 'kim:tulip@');
    const signIns = signInsInAddresses(loaded.exchanges);
    expect(signIns).toEqual([{ kind: 'basic', origin, user: 'kim', password: 'tulip' }]);
    const script = scriptFromTake(loaded, { scriptId: 's', name: 's', tidy: everything, signedIn: [origin] });
    expect(requestSteps(script).flatMap(({ step }) => step.headers.filter((header) => header.name === 'Authorization'))).toEqual([]);
    const staged = withSignIns({ credentials: [], map: { [origin]: 'http://127.0.0.1:9' } }, signIns);
    expect(staged.credentials).toEqual([{ kind: 'basic', origin: 'http://127.0.0.1:9', user: 'kim', password: 'tulip' }]);
    const signIn = { kind: 'digest' as const, origin: '*', user: 'lee', password: 'rose' };
    expect(withSignIns({ credentials: [signIn], map: {} }, signIns).credentials).toEqual([signIn]);
  });

  it('stay in the script where a take asked as several of them', () => {
    expect(signInsInAddresses(asked('kim:tulip@', 'lee:rose@').exchanges)).toEqual([]);
  });
});

describe('a take in which nobody marked transactions', () => {
  const page = (title: string) => [200, html, `<title>${title} - Yard 4</title>`] as [number, Header[], string];
  const form: Header[] = [['Content-Type', 'application/x-www-form-urlencoded']];
  const flow = (marks: Mark[] = []) =>
    take(
      (builder) =>
        builder
          .add(['GET', '/'], page('Welcome'))
          .add(['POST', '/sign-in', form, 'user=kim&password=tulip'], page('Desk'))
          .add(['GET', '/news'], [200, json, '{}'])
          .add(['POST', '/depot', json, '{"method":"saveIntake","goods":"Peas"}'], [200, json, '{}'])
          .add(['POST', '/depot', json, '{"method":"findBay","pallets":3}'], [200, json, '{}'])
          .add(['GET', '/intakes/4711'], page('Intake 4711'))
          .add(['GET', '/sign-out'], page('Goodbye')),
      (exchange) => ({ startedAtMs: [0, 3000, 3080, 6000, 6100, 9000, 12_000][exchange.n - 1] ?? 0, durationMs: 50 }),
      marks,
    );

  it('is cut where, after a pause, a page is opened or something is changed, and named by what was done', () => {
    const { transactions } = surveyTake(flow());
    expect(transactions).toEqual([
      { n: 1, name: 'Welcome' },
      { n: 2, name: 'Sign in' },
      { n: 4, name: 'Save intake' },
      { n: 6, name: 'Intake' },
      { n: 7, name: 'Sign out' },
    ]);
    const script = scriptFromTake(flow(), { scriptId: 's', name: 'S', tidy: everything, transactions });
    expect(
      script.transactions.map((transaction) => [transaction.name, requestSteps({ ...script, transactions: [transaction] }).length]),
    ).toEqual([
      ['Welcome', 1],
      ['Sign in', 2],
      ['Save intake', 2],
      ['Intake', 1],
      ['Sign out', 1],
    ]);
  });

  it('has steps named by what they ask, where requests to one address ask different things', () => {
    const names = requestSteps(scriptOf(flow(), everything)).map(({ step }) => step.name);
    expect(names).toEqual([
      'GET /',
      'POST /sign-in',
      'GET /news',
      'POST /depot saveIntake',
      'POST /depot findBay',
      'GET /intakes/4711',
      'GET /sign-out',
    ]);
  });

  it('but not where somebody marked them; a page of a browser is no mark', () => {
    const mark: Mark = { kind: 'begin', atMs: 0, text: 'Book' };
    expect(surveyTake(flow([mark])).transactions).toEqual([]);
    expect(surveyTake(flow([{ ...mark, page: true }])).transactions).toHaveLength(5);
  });
});
