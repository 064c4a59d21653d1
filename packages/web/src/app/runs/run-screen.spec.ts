import { TestBed } from '@angular/core/testing';
import { provideRouter } from '@angular/router';
import { provideState, provideStore, Store, type Action } from '@ngrx/store';
import type { LanePoint, Run, RunEvent, RunResult, Workload } from '@sturdy/core';
import { NEVER } from 'rxjs';
import { Api } from '../shared/api';
import { dataFeature } from '../state/data.feature';
import { runsActions } from '../state/runs.actions';
import { runsFeature } from '../state/runs.feature';
import { scriptsFeature } from '../state/scripts.feature';
import { lanePoint as point } from '../test/lane-point';
import { render } from '../test/render';
import { Lanes } from './lanes';
import { RunScreen } from './run-screen';

const workload = {
  id: 'w',
  projectId: 'p',
  name: 'Morning shift',
  crews: [],
  curve: { kind: 'ramp', together: 1, rampUpSeconds: 20, holdSeconds: 60, rampDownSeconds: 10, atEnd: 'iteration' },
  criteria: [{ id: 'k', measure: 'p95', transaction: null, limit: 2000 }],
  generators: 1,
  seed: '1',
} as unknown as Workload;
const run: Run = {
  id: 'r',
  projectId: 'p',
  number: 7,
  environmentId: 'e',
  state: 'running',
  startedAt: '2026-11-23T10:00:00.000Z',
  endedAt: null,
  note: null,
  verdict: 'none',
  workload,
};

/** The screen of a run as it was loaded; what is sent to the store is noted. */
function screen(more: Partial<Run> = {}, given: Partial<RunResult> = {}, lanes: LanePoint[] = []) {
  TestBed.configureTestingModule({
    providers: [
      provideRouter([]),
      provideStore(),
      provideState(runsFeature),
      provideState(scriptsFeature),
      provideState(dataFeature),
      {
        provide: Api,
        useValue: {
          rowsUsed: () => NEVER,
          captured: () => NEVER,
          samples: () => NEVER,
          hosts: () => NEVER,
          findings: () => NEVER,
          baseline: () => NEVER,
        },
      },
    ],
  });
  // The lanes need a canvas.
  TestBed.overrideComponent(Lanes, { set: { template: '', imports: [] } });
  const store = TestBed.inject(Store);
  const result = {
    run: { ...run, ...more },
    period: { fromSecond: 0, toSecond: 90 },
    criteria: [],
    hostCriteria: [],
    trust: [],
    rows: [],
    failures: [],
    dealt: [],
    iterationsPassed: 0,
    iterationsFailed: 0,
    seconds: 90,
    ...given,
  };
  store.dispatch(runsActions.opened({ id: 'r' }));
  store.dispatch(runsActions.loaded({ result, lanes, hosts: [], users: [] }));
  const sent: Action[] = [];
  const rendered = render(RunScreen, { id: 'r' });
  jest.spyOn(store, 'dispatch').mockImplementation((action) => {
    sent.push(action as unknown as Action);
    return undefined as never;
  });
  const press = (key: string, target: EventTarget = document, more: KeyboardEventInit = {}) => {
    target.dispatchEvent(new KeyboardEvent('keydown', { key, bubbles: true, ...more }));
    rendered.fixture.detectChanges();
  };
  return { ...rendered, sent, press };
}
const event = (kind: string, more: object = {}) => ({ kind, second: 0, text: kind, ...more }) as unknown as RunEvent;

describe('a live run', () => {
  it('is paused and goes on by a key', () => {
    const going = screen();
    going.press('p');
    expect(going.sent).toEqual([runsActions.pauseWanted({ id: 'r' })]);
  });

  it('that is paused goes on by the same key', () => {
    const { press, sent, text } = screen({ events: [event('pause')] });
    expect(text()).toContain('paused');
    press('p');
    expect(sent).toEqual([runsActions.resumeWanted({ id: 'r' })]);
  });

  it('asks once more before it is finished or aborted, and can be kept', () => {
    const { press, text, click, sent } = screen();
    press('f');
    expect(text()).toContain('Users finish what they are doing, then the run ends.');
    press('Escape');
    press('a');
    expect(text()).toContain('Open requests are dropped, and there is no verdict.');
    click('Go on');
    expect(sent).toEqual([]);
    press('a');
    click('Abort it');
    press('f');
    click('Finish it');
    expect(sent).toEqual([runsActions.abortWanted({ id: 'r' }), runsActions.finishWanted({ id: 'r' })]);
  });

  it('takes no key that is typed into a field, or pressed with another', () => {
    const { press, element, sent } = screen();
    press('p', element.querySelector('input') ?? document);
    press('p', document, { ctrlKey: true });
    press('constructor');
    expect(sent).toEqual([]);
  });

  it('goes on to the next phase, by what was played and passed over', () => {
    const { press, sent, text } = screen({}, {}, [point(4)]);
    expect(text()).toMatch(/On to /);
    press('n');
    expect(sent).toEqual([runsActions.nextPhaseWanted({ id: 'r' })]);
  });

  it('in its last phase has no next one', () => {
    const { press, sent, text } = screen({ events: [event('skip', { skippedSeconds: 60 })] }, {}, [point(25)]);
    expect(text()).not.toMatch(/On to /);
    press('n');
    expect(sent).toEqual([]);
  });

  it('marks a response time over the limit', () => {
    const over = (p95Ms: number) => {
      TestBed.resetTestingModule();
      return screen({}, {}, [point(4, { p95Ms })]).element.querySelector('b.over') !== null;
    };
    expect([over(2000), over(2001)]).toEqual([false, true]);
  });
});

describe('the verdict of a run', () => {
  const done = { state: 'done' as const, endedAt: '2026-11-23T10:02:00.000Z' };
  const verdict = (id: string, held: boolean) => ({ criterion: { id, measure: 'p95', transaction: null, limit: 2000 }, value: 9, held });
  const missed = { criteria: [verdict('k1', false), verdict('k2', true)] } as unknown as RunResult;
  it.each([
    [{ ...done, verdict: 'held' as const }, {}, 'All criteria held'],
    [{ ...done, verdict: 'missed' as const }, missed, '1 of 2 criteria missed'],
    [{ ...done, stoppedByRule: 'r' }, {}, 'A stop rule ended it'],
    [done, {}, 'No criteria were set'],
    [{ ...done, state: 'aborted' as const }, {}, 'Aborted: no verdict'],
    [{ ...done, state: 'failed' as const }, {}, 'Failed: no verdict'],
    [{ ...done, state: 'interrupted' as const }, {}, 'Interrupted: no verdict'],
  ])('%# is told in words', (more, given, words) => {
    const { component } = screen(more as Partial<Run>, given);
    expect(component.verdict().text).toBe(words);
  });
});
