import {
  changeNoticeSecrets,
  hideNoticeSecrets,
  htmlOf,
  keptSecret,
  NoticeSettingsSchema,
  restoreNoticeSecrets,
  startNotice,
  verdictNotice,
  type RunResult,
  type ScheduledStart,
} from '../index.js';

const settings = NoticeSettingsSchema.parse({
  mail: { host: 'mail.tidewell.example', port: 587, security: 'starttls', user: 'mara', password: 'quince', from: 'test@tidewell.example' },
  groups: [
    {
      id: 'g',
      name: 'Night watch',
      addresses: [],
      webhooks: [{ id: 'h', url: 'https://hooks.tidewell.example/x', secret: 'whsec_MfKQ9r8GKYqrTwjUPD8ILPZIo2LaLaSw' }],
    },
  ],
});

describe('secrets of notices', () => {
  it('are not shown, come back as they were, and a password goes to its own server alone', () => {
    const shown = hideNoticeSecrets(settings);
    expect(JSON.stringify(shown)).not.toMatch(/quince|whsec/);
    expect(NoticeSettingsSchema.parse(shown)).toEqual(shown);
    expect(restoreNoticeSecrets(shown, settings)).toEqual(settings);
    for (const other of [{ host: 'elsewhere.example' }, { port: 25 }, { user: 'kim' }, { security: 'none' as const }])
      expect(restoreNoticeSecrets({ ...shown, mail: shown.mail && { ...shown.mail, ...other } }, settings).mail?.password).toBe('');
    const given = { ...shown, mail: shown.mail && { ...shown.mail, host: 'elsewhere.example', password: 'new' } };
    expect(restoreNoticeSecrets(given, settings).mail?.password).toBe('new');
    // One that was never there is not the text that stands for one.
    expect(restoreNoticeSecrets(shown, NoticeSettingsSchema.parse({})).groups[0]?.webhooks[0]?.secret).toBe('');
    expect(changeNoticeSecrets(settings, (secret) => `sealed ${secret}`).mail?.password).toBe('sealed quince');
    expect(hideNoticeSecrets(NoticeSettingsSchema.parse({ ...settings, mail: { ...settings.mail, password: '' } })).mail?.password).toBe(
      '',
    );
    expect(keptSecret).not.toBe('');
  });

  it.each([
    [{ groups: [{ id: 'g', name: 'N', addresses: ['kim at tidewell'] }] }, 'Write an address such as mara@example.com.'],
    [
      { groups: [{ id: 'g', name: 'N', addresses: [], webhooks: [{ id: 'h', url: 'file:///etc/passwd', secret: keptSecret }] }] },
      'http://',
    ],
    [{ groups: [{ id: 'g', name: 'N', addresses: [], webhooks: [{ id: 'h', url: 'http://a/', secret: 'short' }] }] }, 'whsec_'],
  ])('says what is wrong with %j', (wrong, sentence) => {
    expect(NoticeSettingsSchema.safeParse(wrong).error?.message).toContain(sentence);
  });
});

describe('what a notice says', () => {
  it('names the start so that nobody mistakes it, and only what was not good', () => {
    const start: ScheduledStart = {
      id: 's',
      projectId: 'p',
      scheduleId: 's',
      schedule: 'Every night',
      workload: 'Peak <hour>',
      zone: 'Europe/Berlin',
      planned: '2026-12-02T01:30:00.000Z',
      at: '2026-12-02T01:30:00.000Z',
      state: 'waiting',
      readiness: {
        at: '',
        points: [
          { kind: 'target', state: 'bad', text: 'It does not answer.' },
          { kind: 'disk', state: 'good', text: 'There is room.' },
        ],
      },
      text: 'It will be left out.',
      runId: null,
    };
    const html = htmlOf(startNotice('not ready', start, 'Tidewell', Date.parse('2026-12-02T01:10:00Z')));
    expect(html).toContain('Wednesday, 2 December 2026, 02:30 (Europe/Berlin, UTC+1), in 20 min');
    expect(html).toContain('It does not answer.');
    expect(html).not.toContain('There is room.');
    expect(html).not.toContain('<hour>');
  });

  it('says of a run what did not hold, what it shows, and what speaks against its figures', () => {
    const result = {
      run: { number: 7, workload: { name: 'Peak hour' }, state: 'done', verdict: 'missed', note: null, environment: { name: 'Staging' } },
      criteria: [
        { held: true, sentence: 'p95 of “Book intake” was 1.2 s; the limit is 2 s.' },
        { held: false, sentence: 'p95 of “Release load” was 3.4 s; the limit is 2 s.' },
      ],
      hostCriteria: [],
      trust: [{ good: false, sentence: 'The generator was busy.' }],
      iterationsPassed: 1200,
      iterationsFailed: 3,
    } as unknown as RunResult;
    const told = verdictNotice(result, [], 'Tidewell');
    expect(told.title).toBe('Run 7 of “Peak hour”: criteria were missed');
    const html = htmlOf(told);
    expect(html).toContain('Release load');
    expect(html).not.toContain('Book intake');
    expect(html).toContain('The generator was busy.');
    expect(html).toContain('1,200 passed, 3 failed');
    expect(verdictNotice({ ...result, run: { ...result.run, state: 'aborted' } }, [], 'T').title).toContain('it was aborted');
  });
});
