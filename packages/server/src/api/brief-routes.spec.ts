import { emptyBrief, type Brief, type BriefView, type Script, type Workload } from '@sturdy/core';
import request from 'supertest';
import { tasks } from '../compute/tasks.js';
import { ServerLog } from '../log/server-log.js';
import { createApp } from './app.js';
import type { Services } from './services.js';

const script = {
  id: 's',
  projectId: 'p',
  name: 'Book intake',
  takeId: 't',
  handoffs: [],
  transactions: [{ kind: 'transaction', id: 't1', name: 'Book intake', steps: [{ kind: 'pause', id: 's1', ms: 20_000 }] }],
} as unknown as Script;
let brief: Brief = emptyBrief;
const workloads: Workload[] = [];
const services = {
  store: {
    brief: () => Promise.resolve(brief),
    saveBrief: (_project: string, saved: Brief) => {
      brief = saved;
      return Promise.resolve();
    },
    scripts: () => Promise.resolve([script]),
    exchanges: () => Promise.resolve([]),
    saveWorkload: (workload: Workload) => {
      workloads.push(workload);
      return Promise.resolve();
    },
  },
  projects: { need: (id: string) => Promise.resolve({ id, name: 'Tidewell', state: 'active' }) },
  compute: tasks,
  recorder: { current: null },
  conductor: { current: null },
  log: new ServerLog(null),
} as unknown as Services;
const app = createApp(services, '/nowhere');
const api = '/api/projects/p/brief';
const here = (asked: request.Test) => asked.set('Host', '127.0.0.1');
const view = ({ body }: request.Response) => body as BriefView;
const keyed = {
  title: 'Peak',
  transactions: [{ id: 'k', transaction: 'Book intake', ratePerHour: 1200, percentile: { measure: 'p95', limitMs: 2000 } }],
};

beforeEach(() => {
  brief = emptyBrief;
  workloads.length = 0;
});

it('a brief is kept with its sizing, and what is wrong with it is told by its place', async () => {
  const saved = view(await here(request(app).put(api)).send(keyed).expect(200));
  expect(saved.sizing).toMatchObject([{ script: 'Book intake', ratePerHour: 1200, pacingSeconds: 30, users: 10 }]);
  expect(view(await here(request(app).get(api)).expect(200)).brief.title).toBe('Peak');
  const refused = await here(request(app).put(api)).send({ capacityPercent: -5 }).expect(400);
  expect(refused.body).toMatchObject({ detail: expect.stringContaining('capacityPercent') as string });
});

it('signatures are given by signing alone, hold for what was signed, and are taken back', async () => {
  const forged = [{ by: 'Nobody', role: '', at: '', fingerprint: 'x' }];
  expect(view(await here(request(app).put(api)).send({ ...keyed, signatures: forged })).signatures).toEqual([]);
  const signed = view(
    await here(request(app).post(`${api}/signatures`))
      .send({ by: 'Odile Marsh', role: 'operations' })
      .expect(200),
  );
  expect(signed).toMatchObject({ signatures: [{ by: 'Odile Marsh', holds: true }], askAgain: null });
  const changed = view(
    await here(request(app).put(api))
      .send({ ...keyed, errorPercent: 2 })
      .expect(200),
  );
  expect(changed).toMatchObject({ signatures: [{ holds: false }], askAgain: expect.stringContaining('Odile Marsh') as string });
  expect(changed.signatures[0]?.changed).toEqual(['error rate']);
  const asSigned = (by: string) => here(request(app).get(`${api}/signed.md`)).query({ by });
  const { text } = await asSigned('Odile Marsh').expect(200);
  const { text: asItIs } = await here(request(app).get(`${api}.md`)).expect(200);
  expect([text, asItIs].map((document) => document.includes('error rate'))).toEqual([false, true]);
  await asSigned('Per Lund').expect(404);
  const gone = view(
    await here(request(app).delete(`${api}/signatures`))
      .query({ by: 'Odile Marsh' })
      .expect(200),
  );
  expect(gone.signatures).toEqual([]);
  await here(request(app).post(`${api}/signatures`))
    .send({ by: '', role: '' })
    .expect(400);
});

it('a workload is made of the sizing sheet, and none where nothing is sized', async () => {
  await here(request(app).post(`${api}/workload`)).expect(422);
  await here(request(app).put(api)).send(keyed);
  await here(request(app).post(`${api}/workload`)).expect(200);
  expect(workloads).toMatchObject([
    { name: 'Peak', projectId: 'p', crews: [{ scriptId: 's', users: 10, pacing: { kind: 'start-to-start', seconds: 30 } }] },
  ]);
});

it.each([
  ['pdf', '%PDF-'],
  ['docx', 'PK'],
  ['xlsx', 'PK'],
  ['html', '<!DOC'],
  ['md', '# Pea'],
  ['csv', 'Key t'],
])('it goes out as %s', async (ending, begins) => {
  await here(request(app).put(api)).send(keyed);
  const answer = await here(request(app).get(`${api}.${ending}`))
    .buffer()
    .parse((stream, done) => {
      const pieces: Buffer[] = [];
      stream.on('data', (piece: Buffer) => pieces.push(piece));
      stream.on('end', () => {
        done(null, Buffer.concat(pieces));
      });
    });
  expect([answer.status, (answer.body as Buffer).subarray(0, begins.length).toString()]).toEqual([200, begins]);
  expect(answer.headers['content-disposition']).toContain(`brief.${ending}`);
});
