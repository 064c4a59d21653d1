import { mkdtempSync, rmSync } from 'node:fs';
import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { NoticeSettings, ScheduledStart, ScheduleView, Script, Take } from '@sturdy/core';
import { startPost, defaultPostSettings, type Post } from '../../../standins/src/post/post.js';
import { dataFolders } from '../backup/data-folder.js';
import { startServer, type RunningServer } from '../server.js';
import { askPlain } from '../test/proxy-client.js';
import { TestClock } from '../test/test-clock.js';

/** A whole server with a clock of the test's own, an application, and a box that collects mail and calls of a webhook. */
const clock = new TestClock(Date.parse('2026-12-02T00:50:00Z'));
let folder = '';
let server: RunningServer;
let application: Server;
let origin = '';
let isAway = false;
let post: Post;

const start = () => startServer({ port: 0, proxyPort: 0, store: { directory: folder }, ...dataFolders(folder), targets: [origin], clock });

async function ask<T>(method: string, path: string, body?: unknown): Promise<T & { detail?: string }> {
  const answer = await fetch(`${server.origin}/api${path}`, {
    method,
    headers: { 'Content-Type': 'application/json', 'X-Sturdy-Person': 'Mara' },
    ...(body === undefined ? {} : { body: JSON.stringify(body) }),
  });
  return (await answer.json()) as T & { detail?: string };
}
/** Lets time pass until something is so; at most for 30 s of real time. */
async function passUntil(isSo: () => Promise<boolean> | boolean, stepMs: number): Promise<void> {
  for (let tries = 0; tries < 300; tries++) {
    if (await isSo()) return;
    clock.move(stepMs);
    await new Promise((done) => setTimeout(done, 100));
  }
  throw new Error(`It never came to that: ${JSON.stringify([new Date(clock.now()), await starts()])}`);
}
const starts = async (): Promise<ScheduledStart[]> => (await ask<ScheduleView>('GET', '/projects/p1/schedules')).starts;
const stateOf = async (planned: string) => (await starts()).find((known) => known.planned === planned)?.state;
const mails = () => post.messages().filter(({ kind }) => kind === 'mail');

beforeAll(async () => {
  folder = mkdtempSync(join(tmpdir(), 'sturdy-schedule-'));
  application = createServer((request, response) => {
    if (isAway) request.socket.destroy();
    else response.end(`<h1>Yard</h1> ${request.url ?? ''}`);
  });
  await new Promise<void>((done) => application.listen(0, '127.0.0.1', done));
  origin = `http://127.0.0.1:${(application.address() as AddressInfo).port}`;
  post = await startPost({ user: 'mara', password: 'mara-pass' });
  server = await start();
});
afterAll(async () => {
  await server.stop();
  await post.stop();
  await new Promise((done) => application.close(done));
  rmSync(folder, { recursive: true, force: true });
});

let schedule = { id: '' };
const settings = (): NoticeSettings => ({
  mail: { host: '127.0.0.1', port: post.smtpPort, security: 'none', user: 'mara', password: 'mara-pass', from: 'sturdy@tidewell.example' },
  groups: [
    {
      id: 'g1',
      name: 'Night watch',
      addresses: ['kim@tidewell.example'],
      webhooks: [{ id: 'h', url: `${post.origin}/hook`, secret: defaultPostSettings.webhookSecret }],
      wants: ['not ready', 'missed', 'left out', 'verdict'],
      report: 'pdf',
    },
  ],
});

it('tries who is told; secrets are kept, and never shown', async () => {
  const kept = await ask<NoticeSettings>('PUT', '/projects/p1/notice-settings', settings());
  expect(JSON.stringify(kept)).not.toMatch(/mara-pass|whsec_/);
  // What is shown goes back as it is, with another name of the group.
  const [group] = kept.groups;
  await ask('PUT', '/projects/p1/notice-settings', { ...kept, groups: [{ ...group, name: 'Night crew' }] });
  const tried = await ask<{ state: string; way: { kind: string } }[]>('POST', '/projects/p1/notice-settings/groups/g1/trial');
  expect(tried.map(({ state, way }) => [way.kind, state])).toEqual([
    ['mail', 'sent'],
    ['webhook', 'sent'],
  ]);
  expect(post.messages().map(({ kind, signed, to }) => [kind, signed, to])).toEqual([
    ['mail', null, ['kim@tidewell.example']],
    ['webhook', true, ['/hook']],
  ]);
  expect(post.messages()[0]?.text).toContain('Night crew');
  // A password goes with its server alone.
  const moved = { ...kept, mail: kept.mail && { ...kept.mail, host: 'localhost' } };
  expect(await ask<NoticeSettings>('PUT', '/projects/p1/notice-settings', moved)).toMatchObject({ mail: { password: '' } });
  const [refused] = await ask<{ attempts: { problem: string }[] }[]>('POST', '/projects/p1/notice-settings/groups/g1/trial');
  expect(refused?.attempts[0]?.problem).toContain('The password of “mara” at localhost is missing.');
  await ask('PUT', '/projects/p1/notice-settings', settings());
});

it('looks whether the run can begin, tells what fails while there is time, begins it at its moment, and sends the verdict with its report', async () => {
  const { proxy } = await ask<{ proxy: string }>('POST', '/projects/p1/takes/record', { name: 'Look' });
  await askPlain(proxy, `${origin}/desk`);
  const take = await ask<Take>('POST', '/takes/record/stop');
  const script = await ask<Script>('POST', `/takes/${take.id}/script`, { name: 'Look' });
  const workload = await ask<{ id: string }>('POST', '/projects/p1/workloads', {
    name: 'Night',
    crews: [
      {
        id: 'c',
        name: 'Clerks',
        scriptId: script.id,
        users: 2,
        pacing: { kind: 'start-to-start', seconds: 0.2 },
        think: { kind: 'none', factor: 1, ms: 0, capMs: 0 },
        onFailure: 'go-on',
      },
    ],
    curve: { kind: 'at-once', holdSeconds: 2, rampDownSeconds: 0, atEnd: 'iteration' },
    criteria: [{ id: 'k', measure: 'p95', transaction: null, limit: 5000 }],
    generators: 1,
    seed: '1',
  });
  const plan = {
    name: 'Every night',
    workloadId: workload.id,
    environmentId: null,
    zone: 'Europe/Berlin',
    repetition: { kind: 'weekly', days: [1, 2, 3, 4, 5, 6, 7], time: '02:30', from: '2026-12-01', until: null },
    notify: ['g1'],
  };
  const view = await ask<ScheduleView>('POST', '/projects/p1/schedules', plan);
  expect(view.detail).toBeUndefined();
  [schedule = schedule] = view.schedules;
  const over = { ...plan, repetition: { kind: 'once', day: '2026-11-30', time: '10:00' } };
  expect((await ask('POST', '/projects/p1/schedules', over)).detail).toContain('No start of this schedule lies ahead.');

  isAway = true;
  const before = mails().length;
  await passUntil(() => mails().length > before, 60_000);
  expect(new Date(clock.now()).toISOString() < '2026-12-02T01:30:00.000Z').toBe(true);
  expect(mails().at(-1)).toMatchObject({ subject: '“Every night” will not be able to begin', to: ['kim@tidewell.example'] });
  expect(mails().at(-1)?.text).toContain(`${origin} does not answer`);
  expect(mails().at(-1)?.html).toContain('Wednesday, 2 December 2026, 02:30 (Europe/Berlin, UTC+1)');

  // It is put right, and looked at again before the start.
  isAway = false;
  const told = mails().length;
  await passUntil(async () => (await stateOf('2026-12-02T01:30:00.000Z')) === 'began', 20_000);
  await passUntil(() => mails().length > told, 1000);
  const verdict = mails().at(-1);
  expect(verdict?.subject).toBe('Run 1 of “Night”: all criteria held');
  expect(verdict?.attachments.map(({ name, bytes }) => [name, bytes.subarray(0, 5).toString()])).toEqual([['run-1-report.pdf', '%PDF-']]);
  await passUntil(() => post.messages().at(-1)?.kind === 'webhook', 100);
  expect(post.messages().at(-1)).toMatchObject({ signed: true, subject: 'Run 1 of “Night”: all criteria held' });
  const [first] = await starts();
  expect(first).toMatchObject({ state: 'ended', text: 'Run 1 ended: criteria held.' });
  const kinds = new Set(first?.readiness?.points.map(({ kind, state }) => `${kind} ${state}`));
  expect([...kinds].sort()).toEqual(['clock good', 'disk good', 'generators good', 'rehearsal good', 'target good']);
});

it('tells what was missed while the server was off, and sends what waited when it was ended', async () => {
  const inbox = mails().length;
  const { smtpPort } = post;
  await post.stop();
  await server.stop();
  // Two nights pass.
  clock.move(49 * 3_600_000);
  server = await start();
  // They are told one after the other, the earlier one first.
  await passUntil(async () => (await stateOf('2026-12-04T01:30:00.000Z')) === 'missed', 1000);
  expect(await stateOf('2026-12-03T01:30:00.000Z')).toBe('missed');
  // The mail server is away, too; the notice waits, over another stop.
  await passUntil(async () => (await ask<{ attempts: unknown[] }[]>('GET', '/projects/p1/notices'))[0]?.attempts.length === 1, 1000);
  await server.stop();
  post = await startPost({ smtpPort, user: 'mara', password: 'mara-pass' });
  server = await start();
  await passUntil(() => mails().length >= 2, 10_000);
  expect(inbox).toBeGreaterThan(0);
  expect(mails().map(({ subject }) => subject)).toEqual(['A start of “Every night” was missed', 'A start of “Every night” was missed']);
  expect(mails()[0]?.text).toContain('It was not caught up.');
});

it('lets nothing run in a time in which nothing may, whoever asks', async () => {
  const workloadId = (await ask<ScheduleView>('GET', '/projects/p1/schedules')).schedules[0]?.workloadId ?? '';
  const blackout = {
    id: 'b',
    why: 'Month-end closing',
    zone: 'UTC',
    environmentId: null,
    when: { kind: 'once', from: '2020-01-01T00:00', until: '2099-01-01T00:00' },
  };
  await ask('PUT', '/projects/p1/blackouts', { blackouts: [blackout] });
  expect((await ask('POST', `/workloads/${workloadId}/run`)).detail).toContain('Month-end closing');
  const looked = await ask<ScheduledStart>('POST', `/projects/p1/schedules/${schedule.id}/readiness`);
  expect(looked.readiness?.points).toContainEqual(expect.objectContaining({ kind: 'blackout', state: 'bad' }));
  await ask('PUT', '/projects/p1/blackouts', { blackouts: [] });
});
