import {
  awayWords,
  blackoutsBetween,
  clockNote,
  comingStarts,
  momentWords,
  nextStart,
  repetitionWords,
  ScheduleSchema,
  startsBetween,
  type Blackout,
  type Repetition,
  type Schedule,
} from '../index.js';

const schedule = (repetition: Repetition, more: Partial<Schedule> = {}): Schedule =>
  ScheduleSchema.parse({
    id: 's',
    projectId: 'p',
    name: 'Nightly',
    workloadId: 'w',
    environmentId: null,
    zone: 'Europe/Berlin',
    repetition,
    ...more,
  });
const daily = (time: string, from = '2026-01-01'): Repetition => ({ kind: 'weekly', days: [1, 2, 3, 4, 5, 6, 7], time, from, until: null });
const between = (of: Schedule, from: string, to: string) =>
  startsBetween(of, Date.parse(from), Date.parse(to)).map(({ ms, clock }) => [new Date(ms).toISOString(), clock]);

describe('starts of a schedule', () => {
  // Directive 2000/84/EC: in the Union summer time begins on the last Sunday of March and ends on the last Sunday of October, both at 01:00 UTC.
  it('meets the clocks of Europe as they go forward: what they skip begins when they do, everything else at its time', () => {
    expect(between(schedule(daily('02:30')), '2026-03-27T12:00Z', '2026-03-30T12:00Z')).toEqual([
      ['2026-03-28T01:30:00.000Z', 'plain'],
      ['2026-03-29T01:00:00.000Z', 'skipped'],
      ['2026-03-30T00:30:00.000Z', 'plain'],
    ]);
    expect(between(schedule(daily('03:00')), '2026-03-28T12:00Z', '2026-03-29T12:00Z')).toEqual([['2026-03-29T01:00:00.000Z', 'plain']]);
  });

  it('meets them as they go back: of a time that comes twice the first is meant, once', () => {
    expect(between(schedule(daily('02:30')), '2026-10-24T12:00Z', '2026-10-26T12:00Z')).toEqual([
      ['2026-10-25T00:30:00.000Z', 'twice'],
      ['2026-10-26T01:30:00.000Z', 'plain'],
    ]);
  });

  // Energy Policy Act of 2005, section 110: from the second Sunday of March to the first Sunday of November, both at 02:00 local time.
  it('meets those of New York, on other days', () => {
    const nightly = schedule(daily('02:15'), { zone: 'America/New_York' });
    expect(between(nightly, '2026-03-07T12:00Z', '2026-03-08T12:00Z')).toEqual([['2026-03-08T07:00:00.000Z', 'skipped']]);
    const early = schedule(daily('01:15'), { zone: 'America/New_York' });
    expect(between(early, '2026-10-31T12:00Z', '2026-11-01T12:00Z')).toEqual([['2026-11-01T05:15:00.000Z', 'twice']]);
  });

  // Lord Howe Island moves its clocks by half an hour (IANA database, file australasia).
  it('meets a change of half an hour', () => {
    const nightly = schedule(daily('02:10'), { zone: 'Australia/Lord_Howe' });
    expect(between(nightly, '2026-10-03T12:00Z', '2026-10-03T20:00Z')).toEqual([['2026-10-03T15:30:00.000Z', 'skipped']]);
  });

  it('keeps to its days: once, certain days of the week, a certain one of a month, until its last day', () => {
    expect(between(schedule({ kind: 'once', day: '2026-12-24', time: '18:00' }), '2026-01-01T00:00Z', '2027-06-01T00:00Z')).toEqual([
      ['2026-12-24T17:00:00.000Z', 'plain'],
    ]);
    const weekly = schedule({ kind: 'weekly', days: [1, 4], time: '06:00', from: '2026-12-02', until: '2026-12-10' });
    expect(between(weekly, '2026-11-01T00:00Z', '2027-01-01T00:00Z').map(([at]) => at)).toEqual([
      '2026-12-03T05:00:00.000Z',
      '2026-12-07T05:00:00.000Z',
      '2026-12-10T05:00:00.000Z',
    ]);
    const monthly = (which: number) => schedule({ kind: 'monthly', which, day: 7, time: '06:00', from: '2026-08-01', until: '2026-10-31' });
    // The calendar of 2026 (cal 8 2026): Sundays are 2, 9, 16, 23, 30 August, 6 to 27 September, 4 to 25 October.
    expect(between(monthly(1), '2026-07-01T00:00Z', '2027-01-01T00:00Z').map(([at]) => String(at).slice(0, 10))).toEqual([
      '2026-08-02',
      '2026-09-06',
      '2026-10-04',
    ]);
    expect(between(monthly(5), '2026-07-01T00:00Z', '2027-01-01T00:00Z').map(([at]) => String(at).slice(0, 10))).toEqual([
      '2026-08-30',
      '2026-09-27',
      '2026-10-25',
    ]);
  });

  it('gives each start in one span alone, however time is cut', () => {
    const nightly = schedule(daily('02:30'));
    const [first, last] = [Date.parse('2026-03-01T00:00Z'), Date.parse('2026-11-30T00:00Z')];
    const pieces: number[] = [];
    for (let at = first; at < last; at += 7 * 3600_000)
      pieces.push(...startsBetween(nightly, at, Math.min(last, at + 7 * 3600_000)).map(({ ms }) => ms));
    expect(pieces).toEqual(startsBetween(nightly, first, last).map(({ ms }) => ms));
    expect(pieces).toHaveLength(274);
  });

  it('puts a start off, cancels one, and goes on as before', () => {
    const changes = [
      { planned: '2026-12-02T01:30:00.000Z', to: '2026-12-02T20:00:00.000Z', by: 'Mara' },
      { planned: '2026-12-03T01:30:00.000Z', to: null, by: 'Mara' },
      // No start of this schedule.
      { planned: '2026-12-03T05:00:00.000Z', to: '2026-12-03T06:00:00.000Z', by: 'Mara' },
    ];
    const nightly = schedule(daily('02:30'), { changes });
    const starts = startsBetween(nightly, Date.parse('2026-12-01T12:00Z'), Date.parse('2026-12-04T12:00Z'));
    expect(starts.map(({ ms, change }) => [new Date(ms).toISOString(), change?.to])).toEqual([
      ['2026-12-02T20:00:00.000Z', '2026-12-02T20:00:00.000Z'],
      ['2026-12-03T01:30:00.000Z', null],
      ['2026-12-04T01:30:00.000Z', undefined],
    ]);
    expect(nextStart(nightly, Date.parse('2026-12-02T21:00Z'))?.ms).toBe(Date.parse('2026-12-04T01:30Z'));
    expect(nextStart({ ...nightly, isPaused: true }, 0)).toBeNull();
    expect(nextStart(schedule({ kind: 'once', day: '2026-12-24', time: '18:00' }), Date.parse('2026-12-25T00:00Z'))).toBeNull();
  });

  it.each([
    [{ zone: 'Berlin' }, 'This is no time zone.'],
    [{ repetition: { kind: 'once', day: '2026-02-30', time: '10:00' } }, 'Write a day as 2026-12-01.'],
    [{ repetition: { kind: 'once', day: '2026-02-20', time: '25:00' } }, 'Write a time as 02:30.'],
    [{ repetition: { kind: 'weekly', days: [], time: '10:00', from: '2026-02-20', until: null } }, 'Choose a day of the week.'],
  ])('says what is wrong with %j', (wrong, sentence) => {
    const parsed = ScheduleSchema.safeParse({ ...schedule(daily('02:30')), ...wrong });
    expect(parsed.error?.issues.map(({ message }) => message).join(' ')).toContain(sentence);
  });
});

describe('words of a start', () => {
  it('names day, time, zone and distance from UTC, so that two moments never read the same', () => {
    // The two 02:30 of 25 October 2026.
    expect(momentWords(Date.parse('2026-10-25T00:30Z'), 'Europe/Berlin')).toBe('Sunday, 25 October 2026, 02:30 (Europe/Berlin, UTC+2)');
    expect(momentWords(Date.parse('2026-10-25T01:30Z'), 'Europe/Berlin')).toBe('Sunday, 25 October 2026, 02:30 (Europe/Berlin, UTC+1)');
    expect(momentWords(0, 'UTC')).toBe('Thursday, 1 January 1970, 00:00 (UTC)');
  });

  it.each([
    [200 * 60_000, 'in 3 h 20 min'],
    [12 * 60_000, 'in 12 min'],
    [20_000, 'now'],
    [(2 * 24 + 4) * 3600_000, 'in 2 days 4 h'],
    [24 * 3600_000, 'in 1 day'],
    [-3600_000, '1 h ago'],
  ])('tells how far %d ms are', (ms, words) => {
    expect(awayWords(1e12 + ms, 1e12)).toBe(words);
  });

  it('says what the change of the clocks means, and how a schedule repeats', () => {
    expect(clockNote({ clock: 'skipped', wallTime: '02:30' })).toContain('go forward past 02:30');
    expect(clockNote({ clock: 'twice', wallTime: '02:30' })).toContain('show 02:30 twice');
    expect(clockNote({ clock: 'plain', wallTime: '02:30' })).toBe('');
    expect(repetitionWords(schedule({ kind: 'weekly', days: [4, 1], time: '02:30', from: '2026-12-01', until: '2027-01-31' }))).toBe(
      'every Monday and Thursday at 02:30 (Europe/Berlin), until 31 January 2027',
    );
    expect(repetitionWords(schedule({ kind: 'weekly', days: [1, 2, 3, 4, 5], time: '02:30', from: '2026-12-01', until: null }))).toContain(
      'from Monday to Friday',
    );
    expect(repetitionWords(schedule({ kind: 'monthly', which: 5, day: 7, time: '02:30', from: '2026-12-01', until: null }))).toContain(
      'on the last Sunday of each month',
    );
  });
});

describe('what comes', () => {
  it('is told over all schedules, with what will be in its way', () => {
    const night = schedule(daily('02:30', '2026-12-01'));
    const early = schedule(daily('03:00', '2026-12-01'), { id: 's2', name: 'Early', workloadId: 'w2' });
    const paused = schedule(daily('04:00'), { id: 's3', isPaused: true });
    const canceled = schedule(daily('02:45', '2026-12-02'), {
      id: 's4',
      changes: [{ planned: '2026-12-02T01:45:00.000Z', to: null, by: 'Mara' }],
    });
    const blackout: Blackout = {
      id: 'b',
      why: 'Backup',
      zone: 'Europe/Berlin',
      environmentId: null,
      when: { kind: 'once', from: '2026-12-03T03:01', until: '2026-12-03T05:00' },
    };
    const coming = comingStarts(
      { schedules: [paused, early, night, canceled], blackouts: [blackout], seconds: { w: 3600, w2: 600 } },
      Date.parse('2026-12-02T00:00Z'),
      Date.parse('2026-12-03T12:00Z'),
    );
    expect(coming.map(({ schedule: { id }, start, clashes }) => [id, new Date(start.ms).toISOString().slice(8, 16), clashes])).toEqual([
      ['s', '02T01:30', []],
      ['s4', '02T01:45', []],
      ['s2', '02T02:00', ['The run of “Nightly” will still go on then.']],
      ['s', '03T01:30', ['Nothing may run then: Backup.']],
      ['s4', '03T01:45', ['The run of “Nightly” will still go on then.', 'Nothing may run then: Backup.']],
      ['s2', '03T02:00', ['The run of “Nightly” will still go on then.', 'Nothing may run then: Backup.']],
    ]);
  });
});

describe('times in which nothing may run', () => {
  const closing: Blackout = {
    id: 'a',
    why: 'Month-end closing',
    zone: 'Europe/Berlin',
    environmentId: null,
    when: { kind: 'once', from: '2026-12-31T18:00', until: '2027-01-02T06:00' },
  };
  const backup: Blackout = {
    id: 'b',
    why: 'Backup',
    zone: 'Europe/Berlin',
    environmentId: 'e2',
    when: { kind: 'weekly', days: [6], from: '23:00', until: '01:00' },
  };
  const found = (from: string, to: string, environment = 'e2') =>
    blackoutsBetween([closing, backup], environment, Date.parse(from), Date.parse(to)).map(({ blackout, fromMs, untilMs }) => [
      blackout.id,
      new Date(fromMs).toISOString(),
      new Date(untilMs).toISOString(),
    ]);

  it('are found where they touch a span, past midnight too, and not where they only border on it', () => {
    expect(found('2026-12-31T16:00Z', '2026-12-31T17:00Z')).toEqual([]);
    expect(found('2026-12-31T16:00Z', '2026-12-31T17:01Z')).toEqual([['a', '2026-12-31T17:00:00.000Z', '2027-01-02T05:00:00.000Z']]);
    // Sunday, half past midnight: the one that began on Saturday.
    expect(found('2026-12-12T23:30Z', '2026-12-12T23:40Z')).toEqual([['b', '2026-12-12T22:00:00.000Z', '2026-12-13T00:00:00.000Z']]);
    expect(found('2026-12-12T23:30Z', '2026-12-12T23:40Z', 'e1')).toEqual([]);
  });
});
