import { spawn } from 'node:child_process';
import { existsSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import Ajv from 'ajv';
import { outcomeOf, RunFileSchema, writeScript, type RequestStep, type Script } from '@sturdy/core';
import { parseXmlDocument } from 'slimdom';

const sturdy = join(__dirname, '../bin/sturdy.mjs');
let folder: string;
let server: Server;
let origin: string;
let booked: string[] = [];
const file = (name: string) => join(folder, name);

/** An application that books a number once. */
beforeAll(async () => {
  folder = mkdtempSync(join(tmpdir(), 'sturdy-run-'));
  server = createServer((request, response) => {
    const number = new URL(request.url ?? '/', origin).searchParams.get('number') ?? '';
    const again = booked.includes(number);
    booked.push(number);
    response.writeHead(again ? 409 : 200, { 'Content-Type': 'text/plain' }).end(number);
  });
  await new Promise<void>((done) => server.listen(0, '127.0.0.1', done));
  origin = `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
  const step: RequestStep = {
    kind: 'request',
    id: 's1',
    name: 'GET /book',
    exchange: null,
    method: 'GET',
    origin,
    url: [
      { kind: 'text', text: '/book?number=' },
      { kind: 'data', table: 'numbers', column: 'number', recorded: '0' },
    ],
    headers: [],
    body: null,
    bodyFile: null,
    expect: { statuses: [200], content: null, redirect: null, title: null, rootElement: null },
    followRedirects: false,
  };
  const script: Script = {
    id: 's',
    projectId: 'p',
    name: 'Book',
    takeId: '',
    secondTakeId: null,
    transactions: [{ kind: 'transaction', id: 't1', name: 'Book', steps: [step] }],
    handoffs: [],
    made: [],
    unsure: [],
  };
  writeFileSync(file('book.yaml'), writeScript(script));
  writeFileSync(file('env.yaml'), `targets:\n  - ${origin}\n`);
  writeFileSync(file('numbers.csv'), `number\n${Array.from({ length: 40 }, (_, n) => `N${n + 1}`).join('\n')}\n`);
});
afterAll(() => {
  server.close();
  rmSync(folder, { recursive: true, force: true });
});
beforeEach(() => {
  booked = [];
  rmSync(file('numbers.csv.spent'), { force: true });
});

const workload = (more = '') => {
  writeFileSync(
    file('w.yaml'),
    `environment: env.yaml
crews:
  - { script: book.yaml, users: 3, iterations: 4, pacing: { kind: start-to-start, seconds: 0.7 } }
curve: { kind: ramp, rampUpSeconds: 0, holdSeconds: 3, rampDownSeconds: 0, atEnd: iteration }
data:
  - { table: numbers, file: numbers.csv }
${more}`,
  );
  return ['run', file('w.yaml'), '--out', file('out')];
};
const run = (args: string[], meanwhile?: (text: string) => void): Promise<{ status: number | null; out: string; error: string }> =>
  new Promise((done) => {
    const child = spawn(process.execPath, [sturdy, ...args]);
    let [out, error] = ['', ''];
    child.stdout.on('data', (piece: Buffer) => (out += piece.toString()));
    child.stderr.on('data', (piece: Buffer) => (error += piece.toString()));
    const watch = setInterval(() => meanwhile?.(out), 300);
    child.on('close', (status) => {
      clearInterval(watch);
      done({ status, out, error });
    });
  });

describe('sturdy run', () => {
  it('plays a workload file without the server, gives each row once, in the next run too, and says how it held', async () => {
    const criteria = 'criteria:\n  - { measure: error-rate, limit: 0 }\n  - { measure: p95, transaction: Book, limit: 60000 }\n';
    const figures: string[] = [];
    const first = await run([...workload(criteria), '--metrics-port', '9479'], () => {
      void fetch('http://127.0.0.1:9479/metrics').then(
        async (answer) => figures.push(`${answer.headers.get('content-type') ?? ''}\n${await answer.text()}`),
        () => undefined,
      );
    });
    expect(first.error).toBe('');
    expect([...booked].sort()).toEqual(Array.from({ length: 12 }, (_, n) => `N${n + 1}`).sort());
    const report = RunFileSchema.parse(JSON.parse(readFileSync(file('out/result.json'), 'utf8')));
    expect(report.outcome).not.toBe('not held');
    expect(first.status).toBe(report.outcome === 'held' ? 0 : 3);
    expect(report.result.iterationsPassed).toBe(12);
    expect(readFileSync(file('numbers.csv.spent'), 'utf8').match(/^\d+$/gm)).toHaveLength(12);
    const junit = parseXmlDocument(readFileSync(file('out/junit.xml'), 'utf8'));
    const [suite] = junit.getElementsByTagName('testsuite');
    expect([suite?.getAttribute('tests'), suite?.getAttribute('failures')]).toEqual(['2', '0']);
    expect(readFileSync(file('out/transactions.csv'), 'utf8').split('\r\n')[1]).toMatch(/^Book,,12,0,/);
    // The exposition ends with its own mark, and counters have the suffix that the standard asks for (OpenMetrics 1.0, 4.1 and 6.2).
    expect(figures.at(-1)).toMatch(/^application\/openmetrics-text; version=1\.0\.0/);
    expect(figures.at(-1)).toMatch(/# EOF\n$/);
    expect(figures.at(-1)).toMatch(/^sturdy_transactions_total\{transaction="Book",outcome="passed"\} \d+$/m);

    await run(workload());
    expect(new Set(booked).size).toBe(24);
  }, 60_000);

  it('ends with 1 where a criterion is missed or a stop rule fires', async () => {
    const missed = await run(workload('criteria:\n  - { measure: mean, limit: 0 }\n'));
    expect([missed.status, missed.out]).toEqual([1, expect.stringContaining('MISSED') as string]);
    expect(readFileSync(file('out/junit.xml'), 'utf8')).toContain('<failure type="criterion missed"');
    booked = Array.from({ length: 40 }, (_, n) => `N${n + 1}`);
    rmSync(file('numbers.csv.spent'));
    const stopped = await run(workload('stopRules:\n  - { measure: error-rate, limit: 50, forSeconds: 1 }\n').concat('--users', '1'));
    expect([stopped.status, stopped.out]).toEqual([1, expect.stringContaining('A stop rule ended the run') as string]);
    expect(outcomeOf(RunFileSchema.parse(JSON.parse(readFileSync(file('out/result.json'), 'utf8'))).result)).toBe('not held');
  }, 60_000);

  it('says what is wrong, where, and ends with 2 before anything is sent', async () => {
    const wrong = async (args: string[], sentence: string | RegExp) => {
      const done = await run(args);
      expect([done.status, done.error]).toEqual([2, expect.stringMatching(sentence) as string]);
    };
    await wrong(['run', file('none.yaml'), '--out', file('out')], /The workload .* does not exist/);
    await wrong(workload('seeds: 3\n'), /w\.yaml:7:1: seeds: Nothing is called “seeds” here\./);
    await wrong(workload('criteria:\n  - { measure: p95, limit: -1 }\n'), /w\.yaml:8:\d+: criteria\.0\.limit/);
    await wrong(workload().concat('--environment', file('none-env.yaml')), /The environment file .* does not exist/);
    await wrong(workload().concat('--metrics-port', '0'), /--metrics-port is a number/);
    writeFileSync(file('numbers.csv.spent'), Array.from({ length: 40 }, (_, n) => `${n + 1}\n`).join(''));
    await wrong(workload(), /has no free row/);
    expect(booked).toEqual([]);
    writeFileSync(file('far.yaml'), 'targets: ["http://10.0.0.7"]\nmap: { "' + origin + '": "http://10.0.0.7" }\n');
    rmSync(file('numbers.csv.spent'));
    await wrong(workload().concat('--environment', file('far.yaml')), /http:\/\/10\.0\.0\.7 is not on this machine and is not cleared/);
    expect(existsSync(file('numbers.csv.spent'))).toBe(false);
  }, 60_000);

  it('documents its files, and what it wrote fits', async () => {
    await run(workload());
    const schema = JSON.parse((await run(['schema', 'run'])).out) as Record<string, unknown>;
    delete schema['$schema'];
    const validate = new Ajv({ unknownFormats: 'ignore', schemaId: 'auto', nullable: true }).compile(schema);
    validate(JSON.parse(readFileSync(file('out/result.json'), 'utf8')));
    expect(validate.errors).toBeNull();
    expect((await run(['schema', 'workload'])).out).toContain('file of the script, as sturdy correlate writes it');
  }, 60_000);
});
