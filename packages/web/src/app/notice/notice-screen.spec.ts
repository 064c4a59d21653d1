import { TestBed } from '@angular/core/testing';
import { provideRouter } from '@angular/router';
import { provideState, provideStore, Store, type Action } from '@ngrx/store';
import { NoticeSettingsSchema, type ListedNotice, type NoticeSettings } from '@sturdy/core';
import { noticeActions } from '../state/notice.actions';
import { noticeFeature } from '../state/notice.feature';
import { render } from '../test/render';
import { NoticeScreen } from './notice-screen';

const kept = NoticeSettingsSchema.parse({
  mail: { host: 'mail.tidewell.example', port: 587, security: 'starttls', user: 'mara', password: '', from: 'test@tidewell.example' },
  groups: [{ id: 'g1', name: 'Night watch', addresses: ['kim@tidewell.example'] }],
});
const notice = (more: Partial<ListedNotice>): ListedNotice => ({
  id: 'n',
  projectId: 'p1',
  at: '2026-12-01T01:10:00Z',
  kind: 'trial',
  group: 'Night watch',
  way: { kind: 'mail', addresses: ['kim@tidewell.example'] },
  link: '',
  state: 'given up',
  attempts: [{ at: '2026-12-01T01:10:00Z', problem: 'connect ECONNREFUSED 127.0.0.1:25' }],
  nextAt: null,
  title: 'This is how you will be told',
  ...more,
});

function page(settings: NoticeSettings) {
  TestBed.configureTestingModule({ providers: [provideRouter([]), provideStore(), provideState(noticeFeature)] });
  const store = TestBed.inject(Store);
  const sent: Action[] = [];
  const rendered = render(NoticeScreen);
  store.dispatch(noticeActions.settingsLoaded({ settings }));
  rendered.fixture.detectChanges();
  const dispatch = store.dispatch.bind(store) as (action: Action) => void;
  jest.spyOn(store, 'dispatch').mockImplementation(((action: Action) => sent.push(action)) as never);
  const come = (action: Action) => {
    dispatch(action);
    rendered.fixture.detectChanges();
  };
  return { ...rendered, sent, come };
}

describe('who is told', () => {
  it('is written and saved as a whole; the port follows how mail is secured, and what is wrong is said', () => {
    const { enter, click, text, button, sent, come } = page(NoticeSettingsSchema.parse({}));
    expect(button('Save').getAttribute('aria-description')).toContain('Nothing was changed');
    click('Name a mail server');
    expect(text()).toContain('Name the mail server.');
    expect(button('Save').disabled).toBe(true);
    enter('Host', 'mail.tidewell.example');
    enter('Secured by', 'tls');
    enter('Sender', 'test@tidewell.example');
    click('Add a group');
    enter('Mail to', 'mara@tidewell.example, tomas@tidewell.example\nkim@tidewell.example');
    click('Add a webhook');
    enter('Webhook', 'https://chat.tidewell.example/hook');
    enter('Report that goes', 'docx');
    click('Save');
    const [{ settings }] = sent as [{ settings: NoticeSettings } & Action];
    expect(settings.mail).toMatchObject({ host: 'mail.tidewell.example', security: 'tls', port: 465 });
    expect(settings.groups[0]).toMatchObject({
      id: 'g1',
      addresses: ['mara@tidewell.example', 'tomas@tidewell.example', 'kim@tidewell.example'],
      report: 'docx',
    });
    expect(settings.groups[0]?.webhooks[0]?.secret).toMatch(/^whsec_[A-Za-z0-9+/]{32}$/);
    come(noticeActions.settingsSaved({ settings }));
    expect(button('Save').getAttribute('aria-description')).toContain('Nothing was changed');
  });

  it('is tried once it is saved, and says what came of it and of each notice', () => {
    const { enter, click, button, text, sent, come } = page(kept);
    enter('Name', 'Day watch');
    expect(button('Send a trial').getAttribute('aria-description')).toBe('Save what you changed first.');
    come(noticeActions.settingsSaved({ settings: { ...kept } }));
    click('Send a trial');
    expect(sent).toEqual([noticeActions.trialWanted({ group: 'g1' })]);
    const waiting = notice({ id: 'm', state: 'waiting', kind: 'missed', title: 'A start was missed', nextAt: '2026-12-01T01:12:00Z' });
    come(noticeActions.trialEnded({ notices: [notice({})] }));
    come(noticeActions.listLoaded({ list: [notice({}), waiting, notice({ id: 's', state: 'sent' })] }));
    expect(text()).toContain('the trial was not taken. connect ECONNREFUSED 127.0.0.1:25');
    expect(text()).toContain('A start was missed');
    expect(text()).toContain('tried again');
  });

  it('drops recipients, webhooks and the mail server', () => {
    const { click, sent, element } = page({
      ...kept,
      groups: kept.groups.map((group) => ({ ...group, webhooks: [{ id: 'h1', url: 'http://a.example/', secret: '(kept as it is)' }] })),
    });
    click('Remove');
    click('Send no mail');
    element.querySelector<HTMLInputElement>('fieldset input')?.click();
    click('Save');
    expect((sent as ({ settings: NoticeSettings } & Action)[])[0]?.settings).toMatchObject({
      mail: null,
      groups: [{ webhooks: [], wants: ['missed', 'left out', 'verdict'] }],
    });
    click('Delete Night watch');
    click('Remove the group');
    expect(element.textContent).toContain('No group yet.');
  });
});
