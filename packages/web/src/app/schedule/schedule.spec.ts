import { TestBed } from '@angular/core/testing';
import { provideRouter } from '@angular/router';
import { NgbActiveModal } from '@ng-bootstrap/ng-bootstrap/modal';
import { provideState, provideStore, Store, type Action } from '@ngrx/store';
import {
  ScheduleSchema,
  type Blackout,
  type Environment,
  type GivenSchedule,
  type Schedule,
  type ScheduledStart,
  type ScheduleView,
  type Workload,
} from '@sturdy/core';
import { noticeFeature } from '../state/notice.feature';
import { projectFeature } from '../state/project.feature';
import { scheduleActions } from '../state/schedule.actions';
import { scheduleFeature } from '../state/schedule.feature';
import { workloadsActions } from '../state/workloads.actions';
import { workloadsFeature } from '../state/workloads.feature';
import { heard, render } from '../test/render';
import { BlackoutCard } from './blackout-card';
import { ScheduleCalendar } from './schedule-calendar';
import { ScheduleDialog } from './schedule-dialog';
import { ScheduleScreen } from './schedule-screen';

const nowMs = Date.parse('2026-10-20T10:00:00Z');
const nightly: Schedule = ScheduleSchema.parse({
  id: 's1',
  projectId: 'p1',
  name: 'Every night',
  workloadId: 'w1',
  environmentId: 'e1',
  zone: 'Europe/Berlin',
  repetition: { kind: 'weekly', days: [1, 2, 3, 4, 5, 6, 7], time: '02:30', from: '2026-10-01', until: null },
  notify: ['g1'],
});
const missed: ScheduledStart = {
  id: 's1@2026-10-19T00:30:00.000Z',
  projectId: 'p1',
  scheduleId: 's1',
  schedule: 'Every night',
  workload: 'Peak',
  zone: 'Europe/Berlin',
  planned: '2026-10-19T00:30:00.000Z',
  at: '2026-10-19T00:30:00.000Z',
  state: 'missed',
  readiness: null,
  text: 'Nothing was there to begin it.',
  runId: null,
};
const view = (more: Partial<ScheduleView> = {}): ScheduleView => ({
  schedules: [nightly],
  blackouts: [],
  starts: [missed],
  seconds: { w1: 600 },
  now: new Date(nowMs).toISOString(),
  ...more,
});
const workloads = [{ id: 'w1', name: 'Peak' }] as Workload[];
const environments = [{ id: 'e1', name: 'Staging' }] as Environment[];

describe('the calendar of schedules', () => {
  const shown = (more: Partial<ScheduleView> = {}) => render(ScheduleCalendar, { view: view(more), zone: 'Europe/Berlin', nowMs });
  const labels = (element: HTMLElement) => [...element.querySelectorAll('.ngb-dp-day')].map((day) => day.getAttribute('aria-label') ?? '');

  it('shows what came and what comes on its day, by the clock of the zone', () => {
    const { element } = shown();
    expect(labels(element)).toContain('19 02:30 Every night, 02:30 missed, Monday, 19 October 2026');
    expect(labels(element)).toContain('25 02:30 Every night, 02:30 comes, Sunday, 25 October 2026');
    expect(labels(element)).toContain('12, Monday, 12 October 2026');
    expect(element.textContent).toMatch(/25\s*02:30 Every night/);
  });

  it('marks what is canceled, what has something in its way, and days on which nothing may run', () => {
    const changes = [{ planned: '2026-10-21T00:30:00.000Z', to: null, by: 'Mara' }];
    const closing: Blackout = {
      id: 'b',
      why: 'Closing',
      zone: 'Europe/Berlin',
      environmentId: null,
      when: { kind: 'once', from: '2026-10-22T00:00', until: '2026-10-22T06:00' },
    };
    const { element } = shown({ schedules: [{ ...nightly, changes }], blackouts: [closing] });
    expect(labels(element)).toContain('21 02:30 Every night, 02:30 canceled, Wednesday, 21 October 2026');
    expect(labels(element)).toContain(
      '22 02:30 Every night, 02:30 comes, and something is in its way, nothing may run for a time: Closing, Thursday, 22 October 2026',
    );
  });

  it('tells the day that is chosen', () => {
    const { component, element } = shown();
    const days = heard(component.chosen);
    [...element.querySelectorAll<HTMLElement>('.ngb-dp-day')]
      .find((day) => (day.getAttribute('aria-label') ?? '').includes('28 October'))
      ?.click();
    expect(days).toEqual(['2026-10-28']);
  });
});

describe('the dialog of a schedule', () => {
  function dialog(schedule: Schedule | null) {
    const modal = { close: jest.fn<undefined, [GivenSchedule]>(), dismiss: jest.fn() };
    TestBed.configureTestingModule({ providers: [{ provide: NgbActiveModal, useValue: modal }] });
    const rendered = render(ScheduleDialog);
    const groups = [{ id: 'g1', name: 'Night watch', addresses: [], webhooks: [], wants: [], report: 'none' as const }];
    rendered.component.begin({ workloads, environments, groups, nowMs }, schedule, '2026-10-25', 'Europe/Berlin');
    rendered.fixture.detectChanges();
    return { ...rendered, modal };
  }
  const submit = (element: HTMLElement) => element.querySelector('form')?.dispatchEvent(new Event('submit', { cancelable: true }));

  it('says in words when it will begin, and what the change of the clocks means', () => {
    const { text, element, modal } = dialog(null);
    expect(text()).toContain('Sunday, 25 October 2026, 02:30 (Europe/Berlin, UTC+2)');
    expect(text()).toContain('The clocks go back on this day and show 02:30 twice; the run begins the first time.');
    submit(element);
    expect(modal.close).toHaveBeenCalledWith(
      expect.objectContaining({
        workloadId: 'w1',
        environmentId: 'e1',
        notify: ['g1'],
        repetition: { kind: 'once', day: '2026-10-25', time: '02:30' },
      }),
    );
  });

  it('refuses what would never begin, and what is no zone, with the reason at the button', () => {
    const { enter, button, text, element, modal } = dialog(null);
    enter('Day', '2026-10-01');
    expect(text()).toContain('No start lies ahead.');
    expect(button('Schedule it').disabled).toBe(true);
    enter('Day', '2026-11-01');
    enter('Time zone', 'Middle/Earth');
    expect(button('Schedule it').getAttribute('aria-description')).toContain('This is no time zone.');
    submit(element);
    expect(modal.close).not.toHaveBeenCalled();
  });

  it('repeats on days of the week and on one day of a month, and begins with what is there', () => {
    const { element, enter, text, modal, fixture } = dialog(nightly);
    expect(text()).toContain('Change the schedule');
    expect(text()).toContain('Wednesday, 21 October 2026, 02:30');
    element.querySelector<HTMLInputElement>('input[aria-label="Monday"]')?.click();
    enter('Until', '2026-12-31');
    [...element.querySelectorAll<HTMLInputElement>('input[type=radio]')][2]?.click();
    fixture.detectChanges();
    enter('On the', '5');
    enter('day of the week', '7');
    expect(text()).toContain('Sunday, 25 October 2026, 02:30');
    expect(text()).toContain('Sunday, 29 November 2026, 02:30');
    enter('Where something was found', 'begin');
    submit(element);
    expect(modal.close.mock.lastCall?.[0]).toMatchObject({
      whenNotReady: 'begin',
      repetition: { kind: 'monthly', which: 5, day: 7, time: '02:30', from: '2026-10-01', until: '2026-12-31' },
    });
  });
});

describe('times in which nothing may run', () => {
  it('are added, told in words, and removed after a question', () => {
    const blackout: Blackout = {
      id: 'b1',
      why: 'Backup',
      zone: 'UTC',
      environmentId: 'e1',
      when: { kind: 'weekly', days: [6], from: '22:00', until: '04:00' },
    };
    const { component, click, enter, text, button, element } = render(BlackoutCard, { blackouts: [blackout], environments, zone: 'UTC' });
    const changes = heard(component.changed);
    expect(text()).toContain('each Saturday from 22:00 until 04:00 of the next day (UTC), in Staging alone');
    click('Add a time');
    expect(button('Add it').getAttribute('aria-description')).toContain('Say why nothing may run then.');
    enter('Why', 'Closing');
    enter('From', '2026-12-31T18:00');
    enter('Until', '2026-12-30T18:00');
    expect(button('Add it').getAttribute('aria-description')).toContain('It has to end after it begins.');
    enter('Until', '2027-01-02T06:00');
    element.querySelector('form')?.dispatchEvent(new Event('submit', { cancelable: true }));
    expect(changes[0]?.[1]).toMatchObject({
      id: 'b2',
      why: 'Closing',
      environmentId: null,
      when: { kind: 'once', from: '2026-12-31T18:00' },
    });
    click('Delete Backup');
    click('Runs may begin then');
    expect(changes[1]).toEqual([]);
  });
});

describe('the page of schedules', () => {
  function page(shown: ScheduleView) {
    TestBed.configureTestingModule({
      providers: [
        provideRouter([]),
        provideStore(),
        provideState(scheduleFeature),
        provideState(noticeFeature),
        provideState(projectFeature),
        provideState(workloadsFeature),
      ],
    });
    const store = TestBed.inject(Store);
    const sent: Action[] = [];
    const rendered = render(ScheduleScreen);
    store.dispatch(scheduleActions.loaded({ view: shown }));
    store.dispatch(workloadsActions.listLoaded({ list: workloads }));
    jest.spyOn(store, 'dispatch').mockImplementation(((action: Action) => sent.push(action)) as never);
    rendered.fixture.detectChanges();
    return { ...rendered, sent };
  }

  it('says what comes next and how far it is, and lets a start be put off, canceled and had back', () => {
    const changes = [{ planned: '2026-10-22T00:30:00.000Z', to: null, by: 'Tomas' }];
    const { text, click, element, sent, fixture } = page(view({ schedules: [{ ...nightly, changes }] }));
    expect(text()).toContain('“Every night” begins in 14 h 30 min');
    expect(text()).toContain('Wednesday, 21 October 2026, 02:30 (Europe/Berlin, UTC+2)');
    expect(text()).toContain('canceled by Tomas');
    click('Put off…');
    const wall = element.querySelector<HTMLInputElement>('input[type=datetime-local]');
    if (!wall) throw new Error('There is no field for the new moment.');
    expect(wall.value).toBe('2026-10-21T02:30');
    wall.value = '2026-10-21T20:00';
    element.querySelector('form')?.dispatchEvent(new Event('submit', { cancelable: true }));
    fixture.detectChanges();
    click('Cancel');
    click('Have it back');
    const change = (planned: string, to: string) => scheduleActions.changeOfStartWanted({ id: 's1', planned, to });
    expect(sent).toEqual([
      change('2026-10-21T00:30:00.000Z', '2026-10-21T18:00:00.000Z'),
      change('2026-10-21T00:30:00.000Z', 'canceled'),
      change('2026-10-22T00:30:00.000Z', 'as planned'),
    ]);
  });

  it('shows what was found before a start, what was missed, and what is in the way', () => {
    const looked: ScheduledStart = {
      ...missed,
      id: 's1@2026-10-21T00:30:00.000Z',
      planned: '2026-10-21T00:30:00.000Z',
      at: '2026-10-21T00:30:00.000Z',
      state: 'waiting',
      readiness: {
        at: new Date(nowMs).toISOString(),
        points: [{ kind: 'target', state: 'bad', text: 'http://127.0.0.1:1 does not answer.' }],
      },
    };
    const other = { ...nightly, id: 's2', name: 'Other', repetition: { ...nightly.repetition, time: '02:35' } };
    const { text, click, sent } = page(view({ schedules: [nightly, other], starts: [looked, missed] }));
    expect(text()).toContain('It will not be able to begin.');
    expect(text()).toContain('http://127.0.0.1:1 does not answer.');
    expect(text()).toContain('The run of “Every night” will still go on then. It will be left out.');
    expect(text()).toContain('Nothing was there to begin it.');
    click('Look now');
    click('Pause');
    const { id: _id, projectId: _projectId, changes: _changes, ...given } = nightly;
    expect(sent).toEqual([
      scheduleActions.readinessWanted({ id: 's1' }),
      scheduleActions.saveWanted({ id: 's1', schedule: { ...given, isPaused: true } }),
    ]);
  });

  it('says what to do where nothing is planned', () => {
    expect(page(view({ schedules: [], starts: [] })).text()).toContain('New schedule lets a workload run once');
  });
});
