import { spawnSync } from 'node:child_process';
import { createServer, type Server } from 'node:http';
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import type { AddressInfo } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import Ajv from 'ajv';
import { RehearsalFileSchema, CorrelationFileSchema } from '@sturdy/core';
import { runSturdy } from './test/sturdy-process.js';

const sturdy = join(__dirname, '../bin/sturdy.mjs');
let folder: string;
let server: Server;
let origin: string;
const created: string[] = [];

/** A small application: a form with a one-time key, a record with an id of its own, and a page that shows it. */
beforeAll(async () => {
  folder = mkdtempSync(join(tmpdir(), 'sturdy-cli-'));
  let key = 0;
  server = createServer((request, response) => {
    let body = '';
    request.on('data', (piece: Buffer) => (body += piece.toString()));
    request.on('end', () => {
      const html = (text: string, status = 200) =>
        response.writeHead(status, { 'Content-Type': 'text/html' }).end(`<title>Things</title>${text}`);
      const id = /^\/things\/(\d+)$/.exec(request.url ?? '')?.[1];
      if (request.url === '/new') html(`<form method="post"><input type="hidden" name="formKey" value="key-${++key}-abc"></form>`);
      else if (request.url === '/things' && body.startsWith(`formKey=key-${key}-abc&`)) {
        created.push(new URLSearchParams(body).get('name') ?? '');
        response.writeHead(302, { Location: `things/${created.length}00` }).end();
      } else if (request.url === '/things') html('<p role="alert">Your form is out of date</p>');
      else if (id) html(`<h1>${created[Number(id) / 100 - 1] ?? 'unknown'}</h1>`);
      else html('', 404);
    });
  });
  await new Promise<void>((done) => server.listen(0, '127.0.0.1', done));
  origin = `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
});
afterAll(() => {
  server.close();
  rmSync(folder, { recursive: true, force: true });
});

const file = (name: string) => join(folder, name);
const run = (...args: string[]) => runSturdy(args);

/** A HAR file as a browser writes it, of a visit to the application. */
async function record(name: string, typed: string): Promise<void> {
  const entries: unknown[] = [];
  const ask = async (method: string, path: string, body?: string) => {
    const answer = await fetch(origin + path, {
      method,
      redirect: 'manual',
      ...(body === undefined ? {} : { body, headers: { 'Content-Type': 'application/x-www-form-urlencoded' } }),
    });
    const text = await answer.text();
    entries.push({
      startedDateTime: new Date(Date.now() + entries.length * 100).toISOString(),
      time: 5,
      request: {
        method,
        url: origin + path,
        httpVersion: 'HTTP/1.1',
        headers: body === undefined ? [] : [{ name: 'Content-Type', value: 'application/x-www-form-urlencoded' }],
        ...(body === undefined ? {} : { postData: { mimeType: 'application/x-www-form-urlencoded', text: body } }),
      },
      response: {
        status: answer.status,
        statusText: '',
        httpVersion: 'HTTP/1.1',
        headers: headersOf(answer),
        content: { size: text.length, mimeType: 'text/html', text },
      },
      cache: {},
      timings: { send: 1, wait: 3, receive: 1 },
    });
    return { text, location: answer.headers.get('location') };
  };
  const { text } = await ask('GET', '/new');
  const { location } = await ask('POST', '/things', `formKey=${/key-\d+-abc/.exec(text)?.[0] ?? ''}&name=${typed}`);
  await ask('GET', `/${location ?? ''}`);
  writeFileSync(file(name), JSON.stringify({ log: { version: '1.2', creator: { name: 'test', version: '1' }, entries } }));
}

/** The headers of an answer as HAR has them. */
function headersOf(answer: Response): { name: string; value: string }[] {
  const list: { name: string; value: string }[] = [];
  answer.headers.forEach((value, name) => list.push({ name, value }));
  return list;
}

describe('the command line', () => {
  it('correlates two HAR files and rehearses the script: one more thing is made, not the recorded one again', async () => {
    await record('one.har', 'cod');
    await record('two.har', 'plums');
    const correlated = await run(
      'correlate',
      file('one.har'),
      file('two.har'),
      '--out',
      file('script.yaml'),
      '--report',
      file('correlation.json'),
    );
    expect(correlated).toMatchObject({ status: 0, error: '' });
    const report = CorrelationFileSchema.parse(JSON.parse(readFileSync(file('correlation.json'), 'utf8')));
    expect(report.handoffs).toMatchObject([
      { evidence: 'proven', reads: 'the form field formKey', uses: [{ number: 2, place: 'form:formKey' }] },
    ]);
    writeFileSync(file('env.yaml'), `targets:\n  - ${origin}\n`);
    const before = created.length;
    const rehearsed = await run(
      'rehearse',
      file('script.yaml'),
      '--environment',
      file('env.yaml'),
      '--report',
      file('out.json'),
      '--take',
      file('one.har'),
      '--second',
      file('two.har'),
      '--twice',
    );
    expect(rehearsed).toMatchObject({ status: 0, error: '' });
    expect(created.slice(before)).toEqual(['cod', 'cod']);
    expect(rehearsed.out).toContain(`step 2 led to things/${before + 1}00, then things/${before + 2}00`);
    const out = RehearsalFileSchema.parse(JSON.parse(readFileSync(file('out.json'), 'utf8')));
    expect([out.verdict, out.result, out.rounds.map((round) => round.rehearsal.steps.map((step) => step.replayed?.status))]).toEqual([
      'passed',
      'proven',
      [
        [200, 200],
        [200, 200],
      ],
    ]);
  });

  it('ends with 4 where it passed once only, because that proves nothing', async () => {
    const once = await run(
      'rehearse',
      file('script.yaml'),
      '--environment',
      file('env.yaml'),
      '--report',
      file('once.json'),
      '--take',
      file('one.har'),
    );
    expect(once).toMatchObject({ status: 4, error: '' });
    expect(once.out).toContain('Result: passed, unproven.');
    expect(once.out).toContain('Rehearse twice in a row.');
  });

  it('takes handoff patterns from a file, which stand for shipped ones of the same id', async () => {
    const pattern = {
      id: 'anti-forgery',
      name: 'Keys that stay',
      about: '',
      enabled: true,
      sent: { in: ['form'], name: 'formkey', value: '' },
      received: { in: [], name: '', afterChange: false },
      decision: 'leave',
    };
    writeFileSync(file('patterns.yaml'), JSON.stringify({ patterns: 1, list: [pattern] }));
    const args = ['correlate', file('one.har'), '--out', file('left.yaml')];
    expect((await run(...args)).out).toContain('handoff “form key”');
    const left = await run(...args, '--patterns', file('patterns.yaml'));
    expect(left).toMatchObject({ status: 0, error: '' });
    expect(left.out).toContain(', 0 handoffs');
    writeFileSync(file('patterns.yaml'), 'patterns: 1\nlist: [{ id: a }]');
    expect(await run(...args, '--patterns', file('patterns.yaml'))).toMatchObject({
      status: 2,
      error: expect.stringContaining('list.0.name') as string,
    });
  });

  it('prints the JSON Schema of what it writes, and what it wrote fits it', async () => {
    for (const [name, written] of [
      ['correlation', 'correlation.json'],
      ['rehearsal', 'out.json'],
    ] as const) {
      const schema = JSON.parse((await run('schema', name)).out) as Record<string, unknown>;
      delete schema['$schema'];
      const validate = new Ajv({ unknownFormats: 'ignore', schemaId: 'auto', nullable: true }).compile(schema);
      validate(JSON.parse(readFileSync(file(written), 'utf8')));
      expect(validate.errors).toBeNull();
    }
  });

  it('repairs a script that sends everything as recorded, in rounds, and keeps what the file was', async () => {
    const raw = readFileSync(file('script.yaml'), 'utf8')
      .replace('~{form key}', /recorded: (key-\d+-abc)/.exec(readFileSync(file('script.yaml'), 'utf8'))?.[1] ?? '')
      .replace(/^handoffs:[\s\S]*$/m, '');
    writeFileSync(file('raw.yaml'), raw);
    const failed = await run(
      'rehearse',
      file('raw.yaml'),
      '--environment',
      file('env.yaml'),
      '--report',
      file('raw.json'),
      '--take',
      file('one.har'),
    );
    expect(failed.status).toBe(1);
    expect(failed.out).toContain('“Your form is out of date”');
    expect(failed.out).toContain('It sent form key');
    const repaired = await run(
      'rehearse',
      file('raw.yaml'),
      '--environment',
      file('env.yaml'),
      '--report',
      file('raw.json'),
      '--take',
      file('one.har'),
      '--repair',
    );
    expect(repaired).toMatchObject({ status: 0, error: '' });
    expect(repaired.out).toContain('Round 2: passed');
    expect(readFileSync(file('raw.yaml'), 'utf8')).toContain('~{form key}');
    expect(readFileSync(file('raw.yaml.before'), 'utf8')).toBe(raw);
  });

  it.each([
    ['a file that is not there', () => ['correlate', 'none.har', '--out', 'x.yaml'], 'The HAR file none.har does not exist.'],
    ['a file that is no HAR', () => ['correlate', sturdy, '--out', 'x.yaml'], 'cannot be read'],
    [
      'a script with a fault',
      () => ['rehearse', file('broken.yaml'), '--environment', file('env.yaml'), '--report', file('x.json')],
      'broken.yaml:2:1',
    ],
    [
      'an environment without targets',
      () => ['rehearse', file('script.yaml'), '--environment', file('empty.yaml'), '--report', file('x.json')],
      'targets',
    ],
    [
      'a target that is not allowed',
      () => ['rehearse', file('script.yaml'), '--environment', file('other.yaml'), '--report', file('x.json')],
      'is not a target of the environment',
    ],
    [
      'a repair without a take',
      () => ['rehearse', file('script.yaml'), '--environment', file('env.yaml'), '--report', file('x.json'), '--repair'],
      '--repair needs --take',
    ],
    [
      'a target that is not on this machine',
      () => ['rehearse', file('script.yaml'), '--environment', file('away.yaml'), '--report', file('x.json')],
      'http://10.1.2.3 is not on this machine',
    ],
    [
      'a server with a target that nobody may clear',
      () => ['serve', '--target', 'http://169.254.169.254'],
      '--target: Nothing is ever sent to http://169.254.169.254',
    ],
    ['a network that is none', () => ['serve', '--clear-networks', 'ten'], '--clear-networks: Write a network, such as 10.20.0.0/16.'],

    ['an option that is missing', () => ['correlate', file('one.har')], '--out'],
  ])('says what is wrong with %s, and ends with 2', async (_name, args, sentence) => {
    writeFileSync(file('away.yaml'), 'targets: [http://10.1.2.3]\n');
    writeFileSync(file('broken.yaml'), 'script: 1\nnam: x\ntransactions: []\n');
    writeFileSync(file('empty.yaml'), 'targets: []\n');
    writeFileSync(file('other.yaml'), 'targets: ["http://127.0.0.1:9"]\n');
    const done = await run(...args());
    expect(done.status).toBe(2);
    expect(done.error).toContain(sentence);
  });

  it('checks files that people write: what is right is told, what is wrong with its line, and the status says which', async () => {
    writeFileSync(file('good.yaml'), 'targets: ["http://127.0.0.1:9"]\n');
    writeFileSync(file('odd.yaml'), 'crews:\n  - script: nowhere.yaml\n    users: 3\n');
    const good = await run('check', file('good.yaml'));
    expect([good.status, good.out]).toEqual([0, `${file('good.yaml')}: an environment, nothing is wrong\n`]);
    const odd = await run('check', file('good.yaml'), file('odd.yaml'));
    expect(odd.status).toBe(1);
    expect(odd.out).toContain(`${file('odd.yaml')}:2:5: crews.0.script: The file nowhere.yaml does not exist.`);
    expect((await run('check', file('none.yaml'))).status).toBe(2);
  });

  it('tells all that can be given', () => {
    for (const [command, words] of [
      ['correlate', '--report'],
      ['rehearse', 'Exit status: 0 passed and proven, 4 passed but not proven'],
      ['run', '3 they held, but the figures are not to be trusted.'],
      ['serve', '--proxy-port'],
    ] as const) {
      const help = spawnSync(process.execPath, [sturdy, command, '--help'], { encoding: 'utf8' });
      expect(help.status).toBe(0);
      expect(help.stdout).toContain(words);
    }
  });
});
