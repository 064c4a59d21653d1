import { NoticeSettingsSchema, ScheduleSchema, trialNotice, type Notice, type Schedule, type ScheduledStart } from '@sturdy/core';
import { onBothDatabases } from '../test/both-databases.js';
import type { Store } from './store-client.js';

const schedule: Schedule = ScheduleSchema.parse({
  id: 's1',
  projectId: 'p1',
  name: 'Every night',
  workloadId: 'w1',
  environmentId: null,
  zone: 'UTC',
  repetition: { kind: 'weekly', days: [1], time: '02:30', from: '2026-12-01', until: null },
});
const start: ScheduledStart = {
  id: 's1@2026-12-07T02:30:00.000Z',
  projectId: 'p1',
  scheduleId: 's1',
  schedule: 'Every night',
  workload: 'Night',
  zone: 'UTC',
  planned: '2026-12-07T02:30:00.000Z',
  at: '2026-12-07T02:30:00.000Z',
  state: 'began',
  readiness: null,
  text: '',
  runId: 'r1',
};
const notice = (id: string, at: string, state: Notice['state']): Notice => ({
  id,
  projectId: 'p1',
  at,
  kind: 'trial',
  group: 'Night watch',
  way: { kind: 'mail', addresses: ['kim@tidewell.example'] },
  document: trialNotice('Tidewell', 'Night watch', 'Mara'),
  link: '',
  report: null,
  state,
  attempts: [],
  nextAt: null,
});

onBothDatabases('schedules', (store: () => Store) => {
  beforeAll(async () => {
    await store().saveProject({ id: 'p1', name: 'Tidewell' });
  });
  const considered = async () =>
    (await store().activeSchedules()).map(({ schedule: { id }, consideredUntilMs }) => [id, new Date(consideredUntilMs).toISOString()]);

  it('are those of projects in use; how far they were looked at goes on by itself, and not by putting a start off', async () => {
    await store().saveSchedule(schedule, '2026-12-01T00:00:00.000Z');
    const changes = [{ planned: start.planned, to: null, by: 'Mara' }];
    await store().saveStartChanges({ ...schedule, changes });
    expect(await considered()).toEqual([['s1', '2026-12-01T00:00:00.000Z']]);
    expect((await store().schedules('p1'))[0]?.changes).toEqual(changes);
    await store().saveConsidered('s1', '2026-12-02T00:00:00.000Z');
    expect(await considered()).toEqual([['s1', '2026-12-02T00:00:00.000Z']]);
    await store().saveProject({ id: 'p1', name: 'Tidewell', state: 'archived' });
    expect(await considered()).toEqual([]);
    await store().saveProject({ id: 'p1', name: 'Tidewell', state: 'active' });
    await store().saveProjectConsidered('p1', '2026-12-05T00:00:00.000Z');
    expect(await considered()).toEqual([['s1', '2026-12-05T00:00:00.000Z']]);
  });

  it('spoil nothing else where one, a start or a notice cannot be read, and can be exported and deleted then', async () => {
    await store().saveSchedule({ ...schedule, id: 'bad', zone: 7 as unknown as string }, '2026-12-01T00:00:00.000Z');
    await store().saveScheduledStart(start);
    await store().saveScheduledStart({ ...start, id: 'bad', text: 7 as unknown as string });
    await store().saveNotice(notice('n1', '2026-12-01T00:00:00Z', 'waiting'));
    await store().saveNotice({ ...notice('bad', '2026-12-02T00:00:00Z', 'waiting'), group: 7 as unknown as string });
    expect((await store().activeSchedules()).map((kept) => kept.schedule.id)).toEqual(['s1']);
    expect((await store().openStarts()).map(({ id }) => id)).toEqual([start.id]);
    expect((await store().scheduledStarts('p1')).map(({ id }) => id)).toEqual([start.id]);
    expect((await store().waitingNotices()).map(({ id }) => id)).toEqual(['n1']);
    expect((await store().notices('p1')).map(({ id, title }) => [id, title])).toEqual([['n1', 'This is how you will be told']]);
    const damaged = (await store().damaged()).filter(({ id }) => id === 'bad');
    expect(damaged.map(({ kind }) => kind).sort()).toEqual(['notice', 'schedule', 'start']);
    expect(await store().damagedDocument('schedule', 'bad')).toMatchObject({ zone: 7 });
    for (const { kind, id } of damaged) expect(await store().deleteDamaged(kind, id)).toBe(true);
    expect(await store().schedules('p1')).toHaveLength(1);
  });

  it('seal the secrets of those who are told, and keep the newest notices, and all that wait', async () => {
    const settings = NoticeSettingsSchema.parse({
      mail: {
        host: 'mail.tidewell.example',
        port: 25,
        security: 'none',
        user: 'mara',
        password: 'quince-7781',
        from: 'a@tidewell.example',
      },
    });
    await store().saveNoticeSettings('p1', settings);
    expect(await store().noticeSettings('p1')).toEqual(settings);
    expect(await store().noticeSettings('p2')).toEqual({ mail: null, groups: [] });
    for (let n = 0; n < 505; n++)
      await store().saveNotice(notice(`old ${n}`, `2026-11-${String(1 + (n % 28)).padStart(2, '0')}T00:00:00Z`, 'sent'));
    expect(await store().notices('p1', 1000)).toHaveLength(500);
    expect((await store().waitingNotices()).map(({ id }) => id)).toEqual(['n1']);
  }, 60_000);

  it('go with their project', async () => {
    await store().deleteProject('p1');
    expect(await store().schedules('p1')).toEqual([]);
    expect(await store().scheduledStarts('p1')).toEqual([]);
    expect(await store().notices('p1')).toEqual([]);
    expect(await store().noticeSettings('p1')).toEqual({ mail: null, groups: [] });
  });
});
