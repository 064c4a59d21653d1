import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import {
  bindColumn,
  onceInOrder,
  plainColumns,
  plainEnvironment,
  runResult,
  type Environment,
  type Frame,
  type LiveSecond,
  type Run,
  type Workload,
} from '@sturdy/core';
import { serveGenerator, type LinkIdentity } from '@sturdy/engine';
import seedrandom from 'seedrandom';
import type { Compute } from '../compute/tasks.js';
import type { LiveHub } from '../live/live-hub.js';
import type { SampleFiles } from '../samples/sample-files.js';
import type { Store } from '../store/store-client.js';
import { oneRequest } from '../test/one-request.js';
import { Conductor } from './conductor.js';
import { usualSilenceLimits } from './run-generators.js';
import { LinkedTransport, type Carrier, type Network } from './transport.js';

const wait = (ms: number) => new Promise((done) => setTimeout(done, ms));

/** Between conductor and generators: drops, doubles, delays and reorders what it carries, and cuts generators off. What it carries it keeps, as JSON. */
class BadNetwork implements Network {
  readonly carried: string[] = [];
  readonly cutOff = new Set<number>();
  readonly #random: () => number;

  constructor(
    seed: string,
    readonly habits = { loses: 0.2, doubles: 0.2, mostDelayMs: 80 },
    readonly giveUpAfterMs = 60_000,
  ) {
    this.#random = seedrandom(seed);
  }

  open(identity: LinkIdentity, receive: (raw: unknown) => void): Carrier {
    const served = serveGenerator(
      identity,
      (envelope) => {
        this.#carry(identity.generator, envelope, receive);
      },
      this.giveUpAfterMs,
    );
    return {
      carry: (envelope) => {
        this.#carry(identity.generator, envelope, served.receive);
      },
      close: () => {
        served.close();
        return Promise.resolve();
      },
    };
  }

  #carry(generator: number, envelope: unknown, arrive: (raw: unknown) => void): void {
    const text = JSON.stringify(envelope);
    this.carried.push(text);
    const { loses, doubles, mostDelayMs } = this.habits;
    const copies = this.cutOff.has(generator) || this.#random() < loses ? 0 : this.#random() < doubles ? 2 : 1;
    for (let copy = 0; copy < copies; copy++)
      setTimeout(() => {
        if (!this.cutOff.has(generator)) arrive(JSON.parse(text));
      }, this.#random() * mostDelayMs);
  }
}

/** A system that notes what it was asked for, and how many asked at a time. */
class Counted {
  readonly numbers: string[] = [];
  readonly authorizations = new Set<string | undefined>();
  mostAtATime = 0;
  origin = '';
  readonly #server: Server;

  constructor(delayMs: number) {
    let open = 0;
    this.#server = createServer((request, response) => {
      this.numbers.push(new URL(request.url ?? '', 'http://host').searchParams.get('no') ?? '');
      this.authorizations.add(request.headers.authorization);
      this.mostAtATime = Math.max(this.mostAtATime, ++open);
      setTimeout(() => {
        open--;
        response.end('ok');
      }, delayMs);
    });
  }

  async listen(): Promise<void> {
    await new Promise<void>((done) => this.#server.listen(0, '127.0.0.1', done));
    this.origin = `http://127.0.0.1:${(this.#server.address() as AddressInfo).port}`;
  }

  close(): void {
    this.#server.closeAllConnections();
    this.#server.close();
  }
}

const rowCount = 400;

/** Plays six users on two generators over a network, each iteration with a row of its own. */
async function played(
  network: BadNetwork,
  {
    holdSeconds,
    limits = usualSilenceLimits,
    more = {},
    environment = {},
    delayMs = 20,
    pacingSeconds = 0.2,
  }: {
    holdSeconds: number;
    limits?: typeof usualSilenceLimits;
    more?: Partial<Workload>;
    environment?: Partial<Environment>;
    delayMs?: number;
    pacingSeconds?: number;
  },
  during: (run: Run) => Promise<void> = () => Promise.resolve(),
) {
  const system = new Counted(delayMs);
  await system.listen();
  const script = bindColumn(oneRequest(system.origin, '/?no=N77'), 'N77', [{ step: 's1', place: 'query:no' }], 'd', 'number');
  const workload: Workload = {
    id: 'w',
    projectId: 'p',
    name: 'W',
    generators: 2,
    seed: '1',
    curve: { kind: 'ramp', together: 1, rampUpSeconds: 0, holdSeconds, rampDownSeconds: 0, atEnd: 'iteration' },
    crews: [
      {
        id: 'c',
        name: 'C',
        scriptId: 's',
        users: 6,
        think: { kind: 'none', factor: 1, ms: 0, capMs: 0 },
        pacing: { kind: 'start-to-start', seconds: pacingSeconds },
        onFailure: 'go-on',
      },
    ],
    criteria: [{ id: 'k', measure: 'mean', transaction: 'T', limit: 2000 }],
    ...more,
  };
  const frames: Frame[] = [];
  const leased: number[] = [];
  const released: number[] = [];
  const seconds: LiveSecond[] = [];
  let samples = 0;
  let ended: (run: Run) => void = () => undefined;
  const over = new Promise<Run>((done) => (ended = done));
  const table = {
    id: 'd',
    projectId: 'p',
    name: 'D',
    columns: plainColumns(['number']),
    version: 0,
    rowCount,
    spentCount: 0,
    deal: onceInOrder,
  };
  const store = {
    scripts: () => Promise.resolve([script]),
    scriptVersions: () => Promise.resolve([]),
    tables: () => Promise.resolve([table]),
    runs: () => Promise.resolve([]),
    frames: () => Promise.resolve(frames),
    hostPoints: () => Promise.resolve([]),
    saveFrames: (_: string, some: Frame[]) => Promise.resolve(void frames.push(...some)),
    saveRun: () => Promise.resolve(),
    leaseRows: (_: string, count: number) => {
      const rows = Array.from({ length: Math.min(count, rowCount - leased.length) }, (_, at) => leased.length + at + 1);
      leased.push(...rows);
      return Promise.resolve(rows.map((row) => ({ row, values: [`row-${row}`] })));
    },
    releaseRows: (_: string, rows: number[]) => Promise.resolve(released.push(...rows)),
  } as unknown as Store;
  const compute = { runResult: (...given: Parameters<typeof runResult>) => Promise.resolve(runResult(...given)) } as unknown as Compute;
  const live: Pick<LiveHub, 'tell'> = {
    tell: (_topic, kind, data) => {
      if (kind === 'second') seconds.push(data as LiveSecond);
      if (kind === 'run' && (data as Run).endedAt !== null) ended(data as Run);
    },
  };
  const sampleFiles = {
    keep: (_: string, batch: { count: number }) => (samples += batch.count),
    capture: () => undefined,
    end: () => Promise.resolve(),
  } as unknown as SampleFiles;
  const conductor = new Conductor(store, compute, live, new LinkedTransport(network), sampleFiles, limits);
  const run = await conductor.start(workload, {
    ...plainEnvironment({ id: 'e', projectId: 'p', name: 'E', targets: [system.origin] }),
    ...environment,
  });
  await during(run);
  const end = await over;
  system.close();
  const counted = frames.flatMap(({ items }) => items).filter(({ step }) => step === null);
  return {
    run: end,
    frames,
    leased,
    released,
    seconds,
    samples,
    system,
    counted: counted.reduce((sum, { tally }) => sum + tally.count, 0),
  };
}

describe('a run over a network that drops, doubles, delays and reorders messages', () => {
  it.each(['1', '2', '3'])('counts nothing twice, deals no row twice, and ends with a true verdict (seed %s)', async (seed) => {
    const { run, counted, samples, system, leased, released, frames, seconds } = await played(new BadNetwork(seed), { holdSeconds: 6 });
    expect(run).toMatchObject({ state: 'done', verdict: 'held', generators: [{ lost: null }, { lost: null }] });
    expect(system.numbers.length).toBeGreaterThan(40);
    expect([counted, samples]).toEqual([system.numbers.length, system.numbers.length]);
    expect(new Set(system.numbers).size).toBe(system.numbers.length);
    // Each row that was leased was played or given back.
    const used = system.numbers.map((number) => Number(number.replace('row-', '')));
    expect([...used, ...released].sort((left, right) => left - right)).toEqual(leased);
    // Each is told with the second in which its iteration ended.
    const told = frames.flatMap(({ playedRows }) => playedRows ?? []).flatMap(({ passed }) => passed);
    expect([...told].sort((left, right) => left - right)).toEqual([...used].sort((left, right) => left - right));
    const places = frames.map(({ generator, second }) => `${generator}:${second}`);
    expect(new Set(places).size).toBe(places.length);
    expect(seconds.reduce((sum, { iterationsPassed }) => sum + iterationsPassed, 0)).toBe(system.numbers.length);
  });

  it('starts all generators at the same moment', async () => {
    const { frames } = await played(new BadNetwork('4', { loses: 0.4, doubles: 0.1, mostDelayMs: 150 }), { holdSeconds: 2 });
    const first = [0, 1].map((generator) => frames.find((frame) => frame.generator === generator));
    for (const frame of first) expect(frame).toMatchObject({ second: 0 });
    // Who had begun late would start its users late.
    for (const frame of first) expect(frame?.latenessMs).toBeLessThan(500);
  });

  it('never carries a credential or a secret variable in the clear', async () => {
    const network = new BadNetwork('5', { loses: 0, doubles: 0, mostDelayMs: 5 });
    const { run, system } = await played(network, {
      holdSeconds: 1,
      environment: {
        credentials: [{ kind: 'basic', origin: '*', user: 'kim', password: 'quince-7781' }],
        variables: { token: 'medlar-5532', tenant: 'harbour' },
        secretVariables: ['token'],
      },
    });
    expect(run.state).toBe('done');
    const all = network.carried.join('\n');
    expect(all).toContain('harbour');
    for (const secret of ['quince-7781', 'medlar-5532']) {
      expect(all).not.toContain(secret);
      expect(all).not.toContain(Buffer.from(secret).toString('base64'));
    }
    // And yet it was there: the system was asked with it.
    expect(system.authorizations).toContain(`Basic ${Buffer.from('kim:quince-7781').toString('base64')}`);
  });
});

describe('a generator that falls silent', () => {
  const limits = { silentAfterMs: 1000, lostAfterMs: 60_000 };

  it('is not waited for, and what it played meanwhile counts once it is heard again', async () => {
    const network = new BadNetwork('6', { loses: 0.05, doubles: 0.1, mostDelayMs: 20 });
    const whileCut = async () => {
      await wait(2500);
      network.cutOff.add(1);
      await wait(3500);
      network.cutOff.delete(1);
    };
    const { run, counted, system, seconds } = await played(
      network,
      { holdSeconds: 8, limits, more: { stopRules: [{ id: 'r', measure: 'mean', transaction: 'T', limit: 5000, forSeconds: 3 }] } },
      whileCut,
    );
    expect(run).toMatchObject({ state: 'done', verdict: 'held', generators: [{ lost: null }, { lost: null }] });
    expect(run.events?.map(({ kind, generator }) => [kind, generator])).toEqual([
      ['silent', 1],
      ['heard', 1],
    ]);
    expect(counted).toBe(system.numbers.length);
    expect(new Set(system.numbers).size).toBe(system.numbers.length);
    const generatorsOf = ({ point }: LiveSecond) => (point.generators ?? []).map(({ generator }) => generator).sort();
    // Seconds were shown without it, and again with it.
    const without = seconds.filter((second) => generatorsOf(second).join() === '0').map(({ point }) => point.second);
    expect(without.length).toBeGreaterThanOrEqual(2);
    for (const second of without)
      expect(seconds.filter(({ point }) => point.second === second).map((shown) => generatorsOf(shown).join())).toEqual(['0', '0,1']);
    expect(seconds.reduce((sum, { iterationsPassed }) => sum + iterationsPassed, 0)).toBe(system.numbers.length);
    const trust = runResult(run, [], []).trust.map(({ sentence }) => sentence);
    expect(trust).toContainEqual(
      expect.stringMatching(
        /^Generator 2 was silent for [345] s\. Its figures came later and are complete, but the stop rules did not see them\.$/,
      ),
    );
  });

  it('for too long is lost, has given up before that, and nobody plays its users twice at a time', async () => {
    const network = new BadNetwork('7', { loses: 0.05, doubles: 0.1, mostDelayMs: 20 }, 1500);
    const { run, system, frames } = await played(
      network,
      {
        holdSeconds: 8,
        limits: { silentAfterMs: 1000, lostAfterMs: 3000 },
        more: { takesOver: true },
        delayMs: 60,
        pacingSeconds: 0,
      },
      async () => {
        await wait(2000);
        network.cutOff.add(1);
      },
    );
    expect(run).toMatchObject({ state: 'done', generators: [{ lost: null }, { lost: 'It was silent for 3 s.' }] });
    expect(run.events?.map(({ kind }) => kind)).toEqual(['silent', 'lost']);
    expect(system.mostAtATime).toBeLessThanOrEqual(6);
    const last = new Map(frames.flatMap(({ users }) => users).map((user) => [user.user, user]));
    expect([...last.values()].map(({ state }) => state)).toEqual(Array.from({ length: 6 }, () => 'ended'));
  });
});
