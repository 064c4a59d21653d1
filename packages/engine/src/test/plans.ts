import { plainEnvironment } from '@sturdy/core';
import type { Environment, Expectation, Frame, RequestStep, SampleBatch, Script, Template } from '@sturdy/core';
import { Generator, MeetingPoints, planMessages, type FromGenerator, type HttpUserDriver, type Plan, type ToGenerator } from '../index.js';

export const text = (value: string): Template => [{ kind: 'text', text: value }];
export const expectation: Expectation = { statuses: [200], content: null, redirect: null, title: null, rootElement: null };
export const step = (id: string, origin: string, target: string, more: Partial<RequestStep> = {}): RequestStep => ({
  kind: 'request',
  id,
  name: `GET ${target}`,
  exchange: null,
  method: 'GET',
  origin,
  url: text(target),
  headers: [],
  body: null,
  bodyFile: null,
  expect: expectation,
  followRedirects: false,
  ...more,
});
export const script = (steps: Script['transactions'][number]['steps'], more: Partial<Script> = {}): Script => ({
  id: 's',
  projectId: 'p',
  name: 'S',
  takeId: 't',
  secondTakeId: null,
  transactions: [{ kind: 'transaction', id: 't1', name: 'T', steps }],
  handoffs: [],
  made: [],
  unsure: [],
  ...more,
});
export const environment = (origin: string): Environment => plainEnvironment({ id: 'e', projectId: 'p', name: 'E', targets: [origin] });

/** Runs a plan in this thread and resolves with its frames. */
export function play(
  plan: Omit<Plan, 'version' | 'runId' | 'generator' | 'generators' | 'tables' | 'files' | 'secrets' | 'seed' | 'samples'> & {
    samples?: boolean;
  },
  runId = 'r',
  /** Messages of the conductor, so many ms after the start. */
  later: readonly { ms: number; message: ToGenerator }[] = [],
  onSamples: (batch: SampleBatch) => void = () => undefined,
): Promise<Frame[]> {
  return new Promise((done) => {
    const frames: Frame[] = [];
    const meetings = new MeetingPoints();
    const generator = new Generator((message: FromGenerator) => {
      if (message.kind === 'ready') {
        generator.receive({ kind: 'start', atMs: performance.timeOrigin + performance.now() });
        for (const { ms, message: late } of later) setTimeout(() => generator.receive(late), ms);
      }
      if (message.kind === 'came') {
        const { step, who, users } = message;
        // A conductor is another thread, so its answer never comes within the message.
        setImmediate(() => {
          generator.receive({
            kind: 'go',
            who: meetings.come(step, who, Math.min(users, plan.crews.flatMap((planned) => planned.users).length)),
          });
        });
      }
      if (message.kind === 'samples') onSamples(message.batch);
      if (message.kind === 'left') meetings.leave(message.step, message.who);
      if (message.kind === 'frame') frames.push(message.frame);
      else if (message.kind === 'ended') done(frames);
    });
    const whole: Plan = {
      version: 1,
      runId,
      generator: 0,
      generators: 1,
      tables: [],
      files: [],
      secrets: [],
      seed: '1',
      samples: false,
      ...plan,
    };
    for (const message of planMessages(whole)) generator.receive(message);
  });
}

export const crew = (users: number, pacingSeconds = 0) => ({
  crew: {
    id: 'c',
    name: 'C',
    scriptId: 's',
    users,
    think: { kind: 'recorded' as const, factor: 1, ms: 0, capMs: 60_000 },
    pacing: { kind: pacingSeconds > 0 ? ('start-to-start' as const) : ('none' as const), seconds: pacingSeconds },
    onFailure: 'next-iteration' as const,
  },
  users: Array.from({ length: users }, (_, place) => ({ place, user: place + 1 })),
});

/**
 * A driver behind what a message to another thread does to its actions and outcomes: both have to be plain data, or they do not arrive (HTML
 * standard, 2.7, structured clone).
 */
export const elsewhere = (driver: HttpUserDriver): HttpUserDriver => ({
  perform: async (action) => structuredClone(await driver.perform(structuredClone(action))),
  send: (request) => driver.send(request),
  messages: {
    perform: async (message) => structuredClone(await driver.messages.perform(structuredClone(message))),
    reset: () => driver.messages.reset(),
    close: () => driver.messages.close(),
  },
  reset: () => driver.reset(),
  close: () => driver.close(),
  cookie: (origin, name) => driver.cookie(origin, name),
  setCookie: (origin, name, value) => {
    driver.setCookie(origin, name, value);
  },
  deleteCookie: (origin, name) => {
    driver.deleteCookie(origin, name);
  },
});
