import { TestBed } from '@angular/core/testing';
import { provideRouter, Router } from '@angular/router';
import { provideState, provideStore, Store, type Action } from '@ngrx/store';
import {
  exampleQuestions,
  plainView,
  type Catalogue,
  type LaneView,
  type QuestionAnswer,
  type Run,
  type SavedView,
  type SeriesKey,
} from '@sturdy/core';
import { of, Subject, throwError } from 'rxjs';
import { Api } from '../shared/api';
import { Chart } from '../shared/chart';
import { exploreActions } from '../state/explore.actions';
import { exploreFeature } from '../state/explore.feature';
import { runsActions } from '../state/runs.actions';
import { runsFeature } from '../state/runs.feature';
import { scriptsFeature } from '../state/scripts.feature';
import { NoChart } from '../test/no-chart';
import { heard, render } from '../test/render';
import { ExploreScreen } from './explore-screen';
import { LaneChart } from './lane-chart';
import { QuestionConsole } from './question-console';
import { SeriesCatalogue } from './series-catalogue';

const catalogue: Catalogue = {
  transactions: [{ name: 'Book intake', steps: ['Open the desk'] }],
  hosts: [{ host: 'Yard', figure: 'processor', unit: '%' }],
  generators: [0],
  seconds: 120,
};
const run = (id: string, number: number): Run =>
  ({ id, number, state: 'done', endedAt: '2026-12-01T10:00:00Z', workload: { name: 'Peak', crews: [] } }) as unknown as Run;
const runs = [run('r2', 8), run('r1', 7)];

describe('one lane', () => {
  const view: LaneView = { series: [], fromSecond: 0, toSecond: 100, hasTimes: true, stretch: null };
  it('tells the second that is pointed at, clicked, and dragged over, by the place within its axes', () => {
    TestBed.overrideComponent(LaneChart, { remove: { imports: [Chart] }, add: { imports: [NoChart] } });
    const { component, element, give } = render(LaneChart, { view, label: 'p95 over time', cursor: 25 });
    const [pointed, chosen, stretched] = [heard(component.pointed), heard(component.chosen), heard(component.stretched)];
    // 58 px of axes on each side: 200 px are 100 s.
    element.getBoundingClientRect = () => ({ left: 10, width: 316 }) as DOMRect;
    const send = (kind: string, x: number) => element.dispatchEvent(Object.assign(new Event(kind), { clientX: 10 + 58 + x, button: 0 }));
    send('pointermove', 40);
    send('pointerdown', 60);
    send('pointerup', 62);
    send('pointerdown', 150);
    send('pointermove', 100);
    send('pointerup', 50);
    send('pointerleave', 0);
    expect(pointed).toEqual([20, 50, null]);
    expect(chosen).toEqual([30]);
    expect(stretched).toEqual([{ fromSecond: 25, toSecond: 75 }]);
    expect(component.cursorX()).toBe('calc(58px + (100% - 116px) * 0.25)');
    give({ cursor: 400 });
    expect(component.cursorX()).toBeNull();
  });
});

describe('the catalogue', () => {
  it('offers every series, in the measure that was chosen, found by a part of its name', () => {
    const { component, enter, click, text } = render(SeriesCatalogue, { catalogue });
    const drawn = heard(component.drawn);
    enter('Measure', 'p99');
    click('Book intake, p99');
    enter('Find', 'proc');
    expect(text()).not.toContain('Book intake');
    click('Yard: processor');
    enter('Find', 'nothing like it');
    expect(text()).toContain('Nothing has “nothing like it” in its name.');
    expect(drawn).toEqual([
      { kind: 'time', transaction: 'Book intake', step: null, measure: 'p99' },
      { kind: 'host', host: 'Yard', figure: 'processor' },
    ]);
  });
});

describe('the page of lanes', () => {
  async function page(inputs: Record<string, unknown> = {}) {
    TestBed.overrideComponent(LaneChart, { remove: { imports: [Chart] }, add: { imports: [NoChart] } });
    const series = jest.fn((_run: string, keys: SeriesKey[]) => of(keys.map((key) => ({ key, points: [[0, 1], [1, 2]] })))); // prettier-ignore
    TestBed.configureTestingModule({
      providers: [
        provideRouter([]),
        provideStore(),
        provideState(exploreFeature),
        provideState(runsFeature),
        provideState(scriptsFeature),
        { provide: Api, useValue: { catalogue: () => of(catalogue), series } },
      ],
    });
    const store = TestBed.inject(Store);
    store.dispatch(runsActions.listLoaded({ list: runs }));
    const sent: Action[] = [];
    const dispatch = store.dispatch.bind(store) as (action: Action) => void;
    jest.spyOn(store, 'dispatch').mockImplementation(((action: Action) => sent.push(action)) as never);
    const navigated = jest.spyOn(TestBed.inject(Router), 'navigate').mockResolvedValue(true);
    const rendered = render(ExploreScreen, inputs);
    await rendered.fixture.whenStable();
    rendered.fixture.detectChanges();
    const keep = (views: SavedView[]) => {
      dispatch(exploreActions.loaded({ views, questions: [] }));
      rendered.fixture.detectChanges();
    };
    return { ...rendered, sent, series, navigated, keep };
  }

  it('draws what the catalogue is asked for into the chosen lane, another unit on the other axis, and asks for it once', async () => {
    const { click, component, fixture, series } = await page();
    expect(series).toHaveBeenLastCalledWith('r2', expect.arrayContaining([{ kind: 'users' }]));
    click('Lane 2');
    component.draw({ kind: 'host', host: 'Yard', figure: 'processor' });
    component.draw({ kind: 'host', host: 'Yard', figure: 'processor' });
    fixture.detectChanges();
    await fixture.whenStable();
    expect(component.drawn().lanes[1]?.series.map(({ axis }) => axis)).toEqual(['left', 'left', 'right']);
    const calls = series.mock.calls.length;
    component.move(component.drawn().lanes[1] ?? { id: '', series: [] }, 2, 'l3');
    fixture.detectChanges();
    await fixture.whenStable();
    expect(component.drawn().lanes.map((lane) => lane.series.length)).toEqual([2, 2, 2]);
    expect(series.mock.calls.length).toBe(calls);
  });

  it('changes how a series is drawn, adds and removes lanes, and keeps the view under a name', async () => {
    const { click, enter, component, sent, element, fixture } = await page();
    enter('Measure', 'max');
    enter('Drawn', '15');
    click('Add a lane');
    expect(component.drawn().lanes).toHaveLength(4);
    click('Remove lane 4');
    click('Keep as a new view');
    enter('Name of the view', 'Peak and hosts');
    element.querySelector('form')?.dispatchEvent(new Event('submit', { cancelable: true }));
    fixture.detectChanges();
    const kept = sent.find((action) => action.type === exploreActions.keepWanted.type) as { views: SavedView[] } | undefined;
    expect(kept?.views).toMatchObject([{ id: 'v1', name: 'Peak and hosts', lanes: [{}, {}, {}] }]);
    expect(JSON.stringify(kept?.views)).toContain('"smoothSeconds":15');
  });

  it('shows the view and the stretch of its address, leads to moments, and back to the whole run', async () => {
    const kept: SavedView = { id: 'v7', name: 'Users alone', lanes: plainView.lanes.slice(0, 1) };
    const { component, keep, click, text, navigated, fixture } = await page({ view: 'v7', at: '30-60', run: 'r1' });
    keep([kept]);
    expect(component.drawn().name).toBe('Users alone');
    expect(text()).toContain('0:30 to 1:00');
    click('Whole run');
    component.zoom({ fromSecond: 40, toSecond: 45 });
    expect(navigated.mock.calls.map(([, extras]) => extras?.queryParams)).toEqual([{ at: null }, { at: '40-45' }]);
    component.chosen.set({ second: 44, lane: 'l1' });
    expect(component.narrowing()).toEqual({ fromSecond: 44, toSecond: 45, transaction: '', step: '' });
    click('Delete Users alone');
    click('Delete the view');
    fixture.detectChanges();
    expect(component.drawn()).toBe(plainView);
  });
});

describe('questions', () => {
  // The editor measures its text, which is nowhere in a test.
  beforeAll(() => {
    Range.prototype.getClientRects = () => [] as unknown as DOMRectList;
  });

  const answer: QuestionAnswer = {
    columns: [
      { name: 'step', type: 'VARCHAR' },
      { name: 'ms', type: 'DOUBLE' },
    ],
    rows: [
      ['=1+1', 12.5],
      ['b', null],
    ],
    isCut: false,
    ms: 3,
  };
  function console_(askQuestion: jest.Mock) {
    TestBed.overrideComponent(QuestionConsole, { remove: { imports: [Chart] }, add: { imports: [NoChart] } });
    TestBed.configureTestingModule({
      providers: [provideStore(), provideState(exploreFeature), { provide: Api, useValue: { askQuestion } }],
    });
    const store = TestBed.inject(Store);
    const sent: Action[] = [];
    jest.spyOn(store, 'dispatch').mockImplementation(((action: Action) => sent.push(action)) as never);
    return { ...render(QuestionConsole, { runs, first: 'r2' }), sent };
  }

  it('are asked of the ticked runs, answered as a table, a chart and CSV', () => {
    const askQuestion = jest.fn(() => of(answer));
    const { click, text, element, fixture } = console_(askQuestion);
    [...element.querySelectorAll<HTMLInputElement>('.runs input')][1]?.click();
    fixture.detectChanges();
    click('The 20 slowest requests');
    click('Ask');
    expect(askQuestion).toHaveBeenCalledWith({ runs: ['r2', 'r1'], sql: exampleQuestions[1]?.sql, limitSeconds: 20 });
    expect(text()).toMatch(/2 rows\s*answered in 3 ms/);
    expect(text()).toContain('12.5');
    click('Chart');
    expect(element.querySelector('app-chart')).not.toBeNull();
    const made: Blob[] = [];
    URL.createObjectURL = (blob: Blob) => `blob:${made.push(blob)}`;
    URL.revokeObjectURL = () => undefined;
    jest.spyOn(HTMLAnchorElement.prototype, 'click').mockImplementation(() => undefined);
    click('CSV');
    return new Promise<void>((done) => {
      const reader = new FileReader();
      reader.onload = () => {
        // What a spreadsheet would compute stays text.
        expect(reader.result).toBe("step,ms\r\n'=1+1,12.5\r\nb,\r\n");
        done();
      };
      reader.readAsText(made[0] ?? new Blob());
    });
  });

  it('say why they cannot be asked or answered, and can be canceled', () => {
    const waiting = new Subject<QuestionAnswer>();
    const askQuestion = jest.fn<unknown, []>(() => throwError(() => new Error('Only a SELECT can be asked here')));
    const { click, button, text, element, fixture } = console_(askQuestion as jest.Mock);
    click('Ask');
    expect(text()).toContain('Only a SELECT can be asked here');
    askQuestion.mockReturnValue(waiting);
    click('Ask');
    expect(waiting.observed).toBe(true);
    click('Cancel');
    expect(waiting.observed).toBe(false);
    expect(text()).toContain('The question was canceled.');
    [...element.querySelectorAll<HTMLInputElement>('.runs input')][0]?.click();
    fixture.detectChanges();
    expect(button('Ask').getAttribute('aria-description')).toBe('Choose a run.');
  });

  it('are kept with the project under a name', () => {
    const { click, enter, element, sent } = console_(jest.fn());
    click('Which users met failures');
    click('Keep the question');
    enter('Name of the question', 'Failures by user');
    element.querySelector('form')?.dispatchEvent(new Event('submit', { cancelable: true }));
    expect(sent).toEqual([
      exploreActions.keepWanted({ views: [], questions: [{ id: 'q1', name: 'Failures by user', sql: exampleQuestions[2]?.sql ?? '' }] }),
    ]);
  });
});
