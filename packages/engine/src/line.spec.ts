import { createServer, type AddressInfo, type Server, type Socket } from 'node:net';
import { createServer as createHttpServer, type Server as HttpServer } from 'node:http';
import {
  columnsOf,
  judgeRehearsal,
  readScript,
  runResult,
  SampleTable,
  writeScript,
  type CapturedStep,
  type Frame,
  type LineStep,
  type LoadedTake,
  type Run,
  type Script,
} from '@sturdy/core';
import { LineDriver } from './drivers/line/line-driver.js';
import { driverSource, rehearse, rulesFor } from './index.js';
import { crew, environment, play, script, text } from './test/plans.js';

/** A label printer: greets with `READY`, answers each line, and tells its paper behind the answer, which nobody asked for. */
let printer: Server;
let printerOrigin = '';
let desk: HttpServer;
let deskOrigin = '';
const got: string[] = [];
const visited: string[] = [];
let connections = 0;
beforeAll(async () => {
  printer = createServer((socket: Socket) => {
    const number = ++connections;
    socket.setEncoding('utf8');
    socket.write('READY\r\n');
    let rest = '';
    socket.on('data', (data: string) => {
      const lines = (rest + data).split('\n');
      rest = lines.pop() ?? '';
      for (const line of lines) {
        got.push(line);
        if (line === 'BREAK') socket.destroy();
        else if (line.startsWith('PRINT ')) socket.write(`OK job=J${number}-${got.length} pieces=1\nSTATUS paper=80\n`);
        else if (line !== 'SLEEP') socket.write(`ECHO ${line}\n`);
      }
    });
    socket.on('error', () => undefined);
  });
  desk = createHttpServer((request, response) => {
    visited.push(request.url ?? '');
    response.end('ok');
  });
  await Promise.all([printer, desk].map((server) => new Promise<void>((done) => server.listen(0, '127.0.0.1', done))));
  printerOrigin = `tcp://127.0.0.1:${(printer.address() as AddressInfo).port}`;
  deskOrigin = `http://127.0.0.1:${(desk.address() as AddressInfo).port}`;
});
afterAll(() => {
  printer.close();
  desk.close();
});
beforeEach(() => {
  got.length = 0;
  visited.length = 0;
});

/** A script that was never recorded, as somebody writes it: it prints a label and books the job that the printer names. */
const written = (): string => `
script: 1
name: Print a label
transactions:
  - transaction: Print
    steps:
      - line: Wait for the printer
        id: greeting
        origin: ${printerOrigin}
        expect: READY
      - line: Print
        id: print
        origin: ${printerOrigin}
        send: PRINT pallet ~{variable:pallet}
        expect: OK
        checks:
          - has: pieces=1
  - transaction: Book
    steps:
      - request: GET /jobs
        id: book
        origin: ${deskOrigin}
        url: /jobs/~{job}
      - line: Ask for the job
        id: ask
        origin: ${printerOrigin}
        send: JOB ~{job}
        expect: ~{job}
handoffs:
  job:
    from: print
    extractor: { kind: between, left: job=, right: ' ', nth: 0 }
    evidence: proven
    reason: The printer names it.
    recorded: J0
`;

const base = { id: 's', projectId: 'p', takeId: 't', secondTakeId: null };
function read(yaml: string): Script {
  const result = readScript(yaml, base);
  if ('problems' in result) throw new Error(result.problems.map((problem) => `${problem.line}: ${problem.message}`).join(' '));
  return result.script;
}
const place = () => ({ ...environment(printerOrigin), targets: [printerOrigin, deskOrigin], variables: { pallet: 'PX-4' } });
const nothingRecorded = { exchanges: [], readBody: () => undefined } as unknown as LoadedTake;

const rehearsed = (ownScript: Script, where = place()) =>
  rehearse({
    script: ownScript,
    environment: where,
    random: Math.random,
    put: (bytes, mimeType) => ({ hash: 'h', size: bytes.length, mimeType }),
    readFile: () => undefined,
  });
const lineStep = (id: string, more: Partial<LineStep> = {}): LineStep => ({
  kind: 'line',
  id,
  name: id,
  origin: printerOrigin,
  send: text(id.toUpperCase()),
  expect: text(''),
  ...more,
});
const failures = (steps: readonly CapturedStep[]) => steps.map((step) => [step.step, step.failureCode ?? null]);

describe('lines over TCP', () => {
  it('are read from text and written as the same text', () => {
    const ownScript = read(written());
    expect(read(writeScript(ownScript))).toEqual(ownScript);
    const wrong = readScript(
      written().replace(`origin: ${printerOrigin}`, `origin: ${deskOrigin}`).replace('has: pieces=1', 'status: [200]'),
      base,
    );
    expect('problems' in wrong && wrong.problems.map((problem) => problem.message)).toEqual([
      `Lines go over TCP. Write an origin such as tcp://127.0.0.1:9100 instead of “${deskOrigin}”.`,
      'A line has nothing that a check of its status could look at.',
    ]);
  });

  it('are rehearsed with requests in one script, and a value goes from one kind to the other', async () => {
    const ownScript = read(written());
    const capture = await rehearsed(ownScript);
    expect(failures(capture.steps)).toEqual([
      ['greeting', null],
      ['print', null],
      ['book', null],
      ['ask', null],
    ]);
    const [greeting, print] = capture.steps;
    expect(greeting).toMatchObject({ kind: 'line', sent: null, answer: 'READY' });
    expect(print).toMatchObject({ kind: 'line', sent: 'PRINT pallet PX-4', timings: { connect: -1 } });
    const job = /job=(\S+)/.exec(print?.kind === 'line' ? (print.answer ?? '') : '')?.[1] ?? '';
    expect(visited).toEqual([`/jobs/${job}`]);
    // What the printer sent unasked is not taken for the answer of the next line.
    expect(capture.steps[3]).toMatchObject({ sent: `JOB ${job}`, answer: `ECHO JOB ${job}` });
    const judged = judgeRehearsal(ownScript, nothingRecorded, { ...capture, readBody: () => '' });
    expect([judged.verdict, judged.steps.map(({ number, verdict }) => [number, verdict])]).toEqual([
      'passed',
      [
        [1, 'passed'],
        [2, 'passed'],
        [3, 'passed'],
        [4, 'passed'],
      ],
    ]);
  });

  it('are played under load, with results for each step and samples without a status', async () => {
    const ownScript = read(written());
    const table = new SampleTable(1000);
    const frames: Frame[] = await play(
      {
        scripts: [ownScript],
        crews: [{ ...crew(4), crew: { ...crew(4).crew, iterations: 5 } }],
        curve: { kind: 'ramp', together: 4, rampUpSeconds: 0, holdSeconds: 3, rampDownSeconds: 0, atEnd: 'iteration' },
        environment: place(),
        samples: true,
      },
      'r',
      [],
      (batch) => {
        table.add(columnsOf(batch), batch.count, batch.names, batch.kinds);
      },
    );
    const run = {
      state: 'done',
      events: [],
      workload: {
        crews: [crew(4).crew],
        generators: 1,
        criteria: [],
        curve: { kind: 'ramp', together: 4, rampUpSeconds: 0, holdSeconds: 3, rampDownSeconds: 0, atEnd: 'iteration' },
      },
    } as unknown as Run;
    const { rows, iterationsPassed, iterationsFailed } = runResult(run, frames, [ownScript]);
    expect([iterationsPassed, iterationsFailed]).toEqual([20, 0]);
    expect(rows.map(({ name, summary }) => [name, summary.count, summary.errors])).toEqual([
      ['Print', 20, 0],
      ['Wait for the printer', 20, 0],
      ['Print', 20, 0],
      ['Book', 20, 0],
      ['GET /jobs', 20, 0],
      ['Ask for the job', 20, 0],
    ]);
    const samples = Array.from({ length: table.count }, (_, at) => table.at(at));
    expect(samples.filter(({ step }) => step === 'print').map(({ status, failure }) => [status, failure])).toEqual(
      Array.from({ length: 20 }, () => [null, null]),
    );
    expect(samples.filter(({ step }) => step === 'book').every(({ status }) => status === 200)).toBe(true);
  });

  it('fail with a code and a sentence, whatever goes wrong', async () => {
    const nobody = 'tcp://127.0.0.1:1';
    const ownScript = script([
      lineStep('greeting', { send: null }),
      lineStep('hello'),
      lineStep('other', { expect: text('SOMETHING ELSE') }),
      lineStep('checked', {
        checks: [
          { id: 'c1', checked: { kind: 'text', text: text('lost'), present: true }, onFailure: 'mark' },
          { id: 'c2', checked: { kind: 'status', statuses: [200] }, onFailure: 'mark' },
        ],
      }),
      lineStep('break'),
    ]);
    const { steps } = await rehearsed(ownScript);
    expect(failures(steps)).toEqual([
      ['greeting', null],
      ['hello', null],
      ['other', 'line-unexpected'],
      ['checked', 'check-text'],
      ['break', 'connection-closed'],
    ]);
    expect(steps.map(({ checks }) => checks)).toEqual([
      undefined,
      undefined,
      ['It answered “ECHO OTHER”, which does not hold “SOMETHING ELSE”.'],
      ['The answer does not hold “lost”.', 'The answer has no status.'],
      undefined,
    ]);
    const judged = judgeRehearsal(ownScript, nothingRecorded, { steps, missing: [], readBody: () => '' });
    expect(judged.steps.map(({ verdict, code }) => [verdict, code])).toEqual([
      ['passed', undefined],
      ['passed', undefined],
      ['failed', 'line-unexpected'],
      ['failed', 'check-text'],
      ['failed', 'connection-closed'],
    ]);
    expect(judged.divergence?.sentence).toBe('Step 3, other: It answered “ECHO OTHER”, which does not hold “SOMETHING ELSE”.');
    const refused = await rehearsed(script([lineStep('a', { origin: nobody })]), { ...place(), targets: [nobody] });
    expect(refused.steps[0]?.failure).toBe(`${nobody} refused the connection. See whether the application runs and listens there.`);
    await expect(rehearsed(script([lineStep('a', { origin: nobody })]))).rejects.toThrow('is not a target of the environment');
    for (const origin of [deskOrigin, 'tcp://127.0.0.1'])
      await expect(rehearsed(script([lineStep('a', { origin })]), { ...place(), targets: [origin] })).rejects.toThrow(
        `goes to ${origin}, where no lines can go. Write host and port`,
      );
  });

  it('are given up after the time-out of the crew, and nothing that comes too late answers the next line', async () => {
    const rules = rulesFor(place(), { timeouts: { connectMs: 1000, answerMs: 150 } });
    const driver = new LineDriver(rules);
    const asked = (send: string | null) => driver.perform({ origin: printerOrigin, send, awaits: true });
    await asked(null);
    expect((await asked('first')).observation).toEqual({ answer: 'ECHO first' });
    const before = connections;
    const slept = await asked('SLEEP');
    expect(slept.failure).toMatchObject({ code: 'answer-timed-out', text: `${printerOrigin} sent no complete line within 150 ms.` });
    expect((await asked(null)).observation).toEqual({ answer: 'READY' });
    expect((await asked('after')).observation).toEqual({ answer: 'ECHO after' });
    expect(connections).toBe(before + 1);
    await driver.close();
  });

  it('are plain data on both sides of the driver, and the driver is made only where a script needs it', async () => {
    const drivers = driverSource(place());
    expect(Object.keys(drivers(new Set(['http'])))).toEqual(['http']);
    const { line } = drivers(new Set(['line']));
    await line?.perform({ origin: printerOrigin, send: null, awaits: true });
    const outcome = await line?.perform(structuredClone({ origin: printerOrigin, send: 'plain', awaits: true }));
    expect(structuredClone(outcome)).toMatchObject({ failure: null, bytesOut: 6, bytesIn: 11, observation: { answer: 'ECHO plain' } });
    await line?.close();
  });
});
