import seedrandom from 'seedrandom';
import { Tally, spansOf, type Frame, type HostSeries, type LoadCurve, type Run, type Script } from '../index.js';

/** A closed system that is simulated: users who think, and one station of workers with exponential service times. */
export interface ClosedSystem {
  users: number;
  curve: LoadCurve;
  workers: number;
  serviceSeconds: number;
  thinkSeconds: number;
  seed: string;
  /** How much longer a service takes that begins at this moment; 1 where nothing is said. */
  slower?: (second: number) => number;
  /** Whether an answer fails, by how many wait when its request comes and by when that is. */
  fails?: (waiting: number, second: number) => boolean;
  /** By generator, where there are several; users are dealt out in turn. */
  addedMs?: readonly number[];
}

/** What its users play: one request and a pause. */
export const closedScript = (thinkSeconds: number): Script =>
  ({
    id: 'script',
    name: 'Book intake',
    transactions: [
      {
        kind: 'transaction',
        id: 't1',
        name: 'Book',
        steps: [
          { kind: 'request', id: 's1', name: 'POST /intakes/new' },
          { kind: 'pause', id: 's2', ms: 1000 * thinkSeconds },
        ],
      },
    ],
  }) as unknown as Script;

/** A run of the system with its frames and the figures of a host with a processor for each worker. */
export interface SimulatedRun {
  run: Run;
  frames: Frame[];
  hosts: HostSeries[];
  scripts: Script[];
}

/** Plays the system second by second of its own clock, as events in the order of time. */
export function simulate(system: ClosedSystem): SimulatedRun {
  const { users, curve, workers, serviceSeconds, thinkSeconds, seed, addedMs = [0] } = system;
  const random = seedrandom(seed);
  const exponential = (meanSeconds: number) => -Math.log(1 - random()) * meanSeconds;
  const crew = {
    id: 'c',
    name: 'Clerks',
    scriptId: 'script',
    users,
    think: { kind: 'fixed', factor: 1, ms: 1000 * thinkSeconds, capMs: 3_600_000 },
    pacing: { kind: 'none', seconds: 0 },
    onFailure: 'next-iteration',
  };
  const run = {
    id: 'run',
    projectId: 'p',
    number: 1,
    environmentId: 'e',
    state: 'done',
    startedAt: '2026-11-23T10:00:00.000Z',
    endedAt: '2026-11-23T11:00:00.000Z',
    note: null,
    verdict: 'none',
    watches: [{ id: 'app', name: 'App', kind: 'machine', everySeconds: 1 }],
    workload: { id: 'w', projectId: 'p', name: 'Simulated', crews: [crew], curve, criteria: [], generators: addedMs.length, seed },
  } as unknown as Run;
  const spans = Array.from({ length: users }, (_, n) => spansOf(curve, crew as never, n)[0] ?? { startSeconds: 0, endSeconds: 0 });
  const end = Math.ceil(Math.max(...spans.map(({ endSeconds }) => endSeconds)));
  const tallies = Array.from({ length: end }, () => addedMs.map(() => new Tally()));
  const failures = Array.from({ length: end }, () => 0);
  const busySeconds = new Array<number>(end).fill(0);
  interface Event {
    at: number;
    user: number;
    kind: 'ask' | 'done';
    askedAt: number;
    failed: boolean;
  }
  const events: Event[] = [];
  const push = (event: Event) => {
    let place = events.length;
    // A heap by the time of its events.
    events.push(event);
    while (place > 0) {
      const above = (place - 1) >> 1;
      const parent = events[above];
      if (!parent || parent.at <= event.at) break;
      events[place] = parent;
      place = above;
    }
    events[place] = event;
  };
  const pop = (): Event | undefined => {
    const [top] = events;
    const last = events.pop();
    if (!top || !last || events.length === 0) return top;
    let place = 0;
    for (;;) {
      let below = 2 * place + 1;
      const [left, right] = [events[below], events[below + 1]];
      if (!left) break;
      if (right && right.at < left.at) below++;
      const child = events[below];
      if (!child || child.at >= last.at) break;
      events[place] = child;
      place = below;
    }
    events[place] = last;
    return top;
  };
  const waiting: Event[] = [];
  let busy = 0;
  const serve = (event: Event, at: number) => {
    busy++;
    const takes = exponential(serviceSeconds) * (system.slower?.(at) ?? 1);
    for (let second = Math.floor(at); second < Math.min(end, at + takes); second++)
      busySeconds[second] = (busySeconds[second] ?? 0) + Math.min(second + 1, at + takes) - Math.max(second, at);
    push({ ...event, at: at + takes, kind: 'done' });
  };
  spans.forEach(({ startSeconds }, user) => {
    push({ at: startSeconds + exponential(thinkSeconds), user, kind: 'ask', askedAt: 0, failed: false });
  });
  for (let event = pop(); event; event = pop()) {
    const { at, user } = event;
    const playsUntil = spans[user]?.endSeconds ?? 0;
    if (event.kind === 'ask') {
      if (at >= playsUntil) continue;
      const asked = { ...event, askedAt: at, failed: system.fails?.(waiting.length, at) ?? false };
      if (busy < workers) serve(asked, at);
      else waiting.push(asked);
      continue;
    }
    busy--;
    const next = waiting.shift();
    if (next) serve(next, at);
    const generator = user % addedMs.length;
    const second = Math.floor(at);
    tallies[second]?.[generator]?.add(1000 * (at - event.askedAt) + (addedMs[generator] ?? 0), !event.failed);
    if (event.failed) failures[second] = (failures[second] ?? 0) + 1;
    push({ at: at + exponential(thinkSeconds), user, kind: 'ask', askedAt: 0, failed: false });
  }
  const frames = tallies.flatMap((ofSecond, second) =>
    ofSecond.map((tally, generator): Frame => {
      const active = spans.filter(
        (span, user) => user % addedMs.length === generator && second >= span.startSeconds && second < span.endSeconds,
      );
      const item = { crew: 'c', transaction: 'Book', tally: tally.toData() };
      const failed = generator === 0 ? (failures[second] ?? 0) : 0;
      return {
        version: 1,
        generator,
        second,
        activeUsers: active.length,
        iterationsPassed: tally.count - failed,
        iterationsFailed: failed,
        items: [
          { ...item, step: null },
          { ...item, step: 's1' },
        ],
        failures:
          failed === 0
            ? []
            : [
                {
                  crew: 'c',
                  transaction: 'Book',
                  step: 's1',
                  code: 'status-unexpected',
                  subject: '503',
                  message: 'It answered 503 instead of 303: “No connection left in the pool.”',
                  count: failed,
                  firstSecond: second,
                  lastSecond: second,
                  example: null,
                },
              ],
        users: [],
        loopDelayMs: 1,
        latenessMs: 0,
        missedArrivals: 0,
      };
    }),
  );
  const series = (id: string, name: string, unit: string, of: (second: number) => number): HostSeries => ({
    id: `app/${id}`,
    host: 'App',
    name,
    unit,
    points: busySeconds.map((_, second) => [second, of(second)]),
  });
  return {
    run,
    frames,
    scripts: [closedScript(thinkSeconds)],
    hosts: [series('processor', 'processor', '%', (second) => (100 * (busySeconds[second] ?? 0)) / workers)],
  };
}
