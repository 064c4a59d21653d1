import { createServer, type IncomingHttpHeaders, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { encode, type Environment, type GeneratedValue, type Piece, type RequestStep, type Script } from '@sturdy/core';
import { compile, HttpDriver, optionsFor, rehearse, TargetTls, VirtualUser } from './index.js';
import { environment, script, step, text } from './test/plans.js';

/** What the server got, and the pages it gives. */
const got: { url: string; headers: IncomingHttpHeaders; body: Buffer }[] = [];
let pages: Record<string, string> = {};
let server: Server;
let origin = '';
beforeAll(async () => {
  server = createServer((request, response) => {
    const pieces: Buffer[] = [];
    request.on('data', (piece: Buffer) => pieces.push(piece));
    request.on('end', () => {
      got.push({ url: request.url ?? '', headers: request.headers, body: Buffer.concat(pieces) });
      if (request.url === '/start') response.setHeader('Set-Cookie', ['sid=kept', 'theme=light']);
      response.setHeader('Content-Type', 'text/html').end(pages[request.url ?? ''] ?? 'ok');
    });
  });
  await new Promise<void>((done) => server.listen(0, '127.0.0.1', done));
  origin = `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
});
afterAll(() => {
  server.closeAllConnections();
  server.close();
});
beforeEach(() => {
  got.length = 0;
  pages = {};
});

const play = (ownScript: Script, more: Partial<Environment> = {}, files: Record<string, Uint8Array> = {}) =>
  rehearse({
    script: ownScript,
    environment: { ...environment(origin), ...more },
    random: Math.random,
    put: (bytes, mimeType) => ({ hash: String(bytes.length), size: bytes.length, mimeType }),
    readFile: (hash) => files[hash],
  });
const request = (id: string, url: RequestStep['url'], more: Partial<RequestStep> = {}) => step(id, origin, '/', { url, ...more });
const made = (id: string, kind: GeneratedValue['made'], recorded: string): GeneratedValue => ({
  id,
  name: id,
  made: kind,
  recorded,
  reason: '',
});
const piece = (id: string, recorded: string): Piece => ({ kind: 'made', made: id, recorded });

describe('what moves while a script is played', () => {
  it.each<[GeneratedValue['made'], string, (sent: string) => boolean]>([
    ['epoch-us', '1700000000000000', (sent) => Math.abs(Number(sent) / 1000 - Date.now()) < 60_000 && sent.length === 16],
    ['epoch-fraction', '1700000000.12', (sent) => /^\d{10}\.\d{2}$/.test(sent)],
    // 2026-11-23 is day 739,942 of the proleptic Gregorian calendar: ticks of 100 ns begin with 639.
    [
      'ticks',
      '639000000000000000',
      (sent) => /^\d{18}$/.test(sent) && Math.abs(Number(BigInt(sent) / 10_000n) - 62_135_596_800_000 - Date.now()) < 60_000,
    ],
    [
      'iso-time',
      '2026-01-01T10:00:00+02:00',
      (sent) => /^\d{4}-\d\d-\d\dT\d\d:\d\d:\d\d\+02:00$/.test(sent) && Math.abs(Date.parse(sent) - Date.now()) < 60_000,
    ],
    ['http-date', 'Thu, 01 Jan 2026 10:00:00 GMT', (sent) => Math.abs(Date.parse(sent) - Date.now()) < 60_000 && sent.endsWith(' GMT')],
    [
      'guid',
      '0B9CF2A4-6D0E-4F6A-9A59-3F1F7C1F2E10',
      (sent) => /^[0-9A-F]{8}-[0-9A-F]{4}-4[0-9A-F]{3}-[89AB][0-9A-F]{3}-[0-9A-F]{12}$/.test(sent),
    ],
    ['random-digits', '482913', (sent) => /^[1-9]\d{5}$/.test(sent)],
    ['unique-text', 'ann@example.test', (sent) => /^ann[0-9a-z]{5}@example\.test$/.test(sent)],
    ['unique-text', 'grower-one', (sent) => /^grower-one[0-9a-z]{5}$/.test(sent)],
    ['random-text', 'a1b2c3d4e5f6a7b8', (sent) => /^[a-f0-9]{16}$/.test(sent) && sent !== 'a1b2c3d4e5f6a7b8'],
  ])('makes a %s in the form in which it was recorded', async (kind, recorded, fits) => {
    await play(
      script(
        [
          request('s1', [
            ...text('/a?v='),
            { kind: 'wrap', encoding: 'percent', pieces: [piece('m1', recorded)], recorded: encode('percent', recorded) },
          ]),
        ],
        { made: [made('m1', kind, recorded)] },
      ),
    );
    const sent = decodeURIComponent(got[0]?.url.slice(5) ?? '');
    expect([sent, fits(sent)]).toEqual([sent, true]);
  });

  it('counts on from what was recorded, and sends the verifier whose challenge it sent (RFC 7636, 4.2)', async () => {
    const verifier = 'dBjftJeZ4CVP-mB92K27uhbUJU1p1r_wW1gFWFOEjXk';
    const challenge: Piece = {
      kind: 'wrap',
      encoding: 'sha256-base64url',
      pieces: [piece('v', verifier)],
      recorded: encode('sha256-base64url', verifier),
    };
    await play(
      script(
        [
          request('s1', [...text('/a?n='), piece('c', '7'), ...text('&c='), challenge]),
          request('s2', [...text('/b?n='), piece('c', '8'), ...text('&v='), piece('v', verifier)]),
        ],
        { made: [made('c', 'counter', '7'), made('v', 'verifier', verifier)] },
      ),
    );
    const [first, second] = got.map((request) => new URLSearchParams(request.url.split('?')[1]));
    expect([first?.get('n'), second?.get('n')]).toEqual(['7', '8']);
    expect(second?.get('v')).not.toBe(verifier);
    expect(first?.get('c')).toBe(encode('sha256-base64url', second?.get('v') ?? ''));
  });

  it('reads a rotating value wherever it is given, and the row in which stands what is sent', async () => {
    pages = {
      '/one': '<input name=t value=k1>',
      '/two': '<input name=t value=k2><ul><li>Cod <a href="/x/1">x</a></li><li>Plums <a href="/x/2">x</a></li></ul>',
    };
    const token = (recorded: string): Piece => ({ kind: 'handoff', handoff: 'h1', recorded });
    await play(
      script(
        [
          request('s1', text('/one')),
          request('s2', [...text('/use?t='), token('r1')]),
          request('s3', text('/two')),
          request('s4', [...text('/use?t='), token('r2'), ...text('&x='), { kind: 'handoff', handoff: 'h2', recorded: '9' }]),
        ],
        {
          handoffs: [
            {
              id: 'h1',
              name: 'token',
              origin: 's1',
              also: [{ step: 's3' }],
              extractor: { kind: 'field', name: 't', nth: 0 },
              evidence: 'proven',
              reason: '',
              recorded: 'r1',
            },
            {
              id: 'h2',
              name: 'row',
              origin: 's3',
              extractor: {
                kind: 'attribute',
                element: 'a',
                by: null,
                attribute: 'href',
                nth: 0,
                pick: 'first',
                within: { left: '/x/', right: '' },
                beside: [{ kind: 'variable', name: 'goods', recorded: 'Cod' }],
              },
              evidence: 'proven',
              reason: '',
              recorded: '1',
            },
          ],
        },
      ),
      { variables: { goods: 'Plums' } },
    );
    expect(got.map((request) => request.url)).toEqual(['/one', '/use?t=k1', '/two', '/use?t=k2&x=2']);
  });

  it('sends an uploaded file byte by byte between texts that move, and says what is not stored', async () => {
    const file = Buffer.from([0, 255, 137, 80, 10, 128, 254, 1]);
    const body: RequestStep['body'] = [
      ...text('token='),
      { kind: 'variable', name: 'token', recorded: 'old' },
      ...text('\r\n'),
      { kind: 'file', hash: 'f', start: 1, end: 7, recorded: '\uFFFC' },
      ...text('\r\nä'),
    ];
    const ownScript = script([request('s1', text('/up'), { method: 'POST', body })]);
    await play(ownScript, { variables: { token: 'new' } }, { f: file });
    expect(got[0]?.body).toEqual(Buffer.concat([Buffer.from('token=new\r\n'), file.subarray(1, 7), Buffer.from('\r\nä')]));
    await expect(play(ownScript)).rejects.toThrow('sends a body that is not stored');
  });

  it('adds the cookies that page scripts make to those it keeps, and lets them win over one of their name', async () => {
    await play(
      script([
        request('s1', text('/start')),
        request('s2', text('/next'), { headers: [{ name: 'Cookie', value: text('theme=dark; seen=1') }] }),
      ]),
    );
    expect(got[1]?.headers.cookie).toBe('sid=kept; theme=dark; seen=1');
  });

  it('fails a step whose answer holds a failure sign of the environment, whatever its status, unless the recorded answer holds it too', async () => {
    pages = { '/desk': '<p>Your session has expired</p>' };
    const signed = { ...environment(origin), failureSigns: [{ kind: 'text' as const, text: 'session has expired' }] };
    const failures: (string | null)[] = [];
    const driver = new HttpDriver({ ...optionsFor(signed, new TargetTls(signed)), answerLimitMs: 5000 });
    const user = new VirtualUser(
      compile(script([request('s1', text('/desk')), request('s2', text('/other')), request('s3', text('/desk'))]), signed, {
        shownSigns: { s3: signed.failureSigns },
      }),
      { http: driver },
      Math.random,
      { step: (played) => failures.push(played.failure?.text ?? null), transaction: () => undefined },
      { stopsNow: () => false, pause: () => Promise.resolve() },
    );
    await user.iterate(new Map(), 'go-on');
    await driver.close();
    expect(failures).toEqual(['It says “session has expired”, which is a failure sign.', null, null]);
  });
});
