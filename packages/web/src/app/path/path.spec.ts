import { TestBed } from '@angular/core/testing';
import { provideRouter } from '@angular/router';
import { provideStore, Store } from '@ngrx/store';
import type { CountedTake, Run, Script } from '@sturdy/core';
import { of } from 'rxjs';
import { Api } from '../shared/api';
import { runsActions } from '../state/runs.actions';
import { runsFeature } from '../state/runs.feature';
import { scriptsActions } from '../state/scripts.actions';
import { scriptsFeature } from '../state/scripts.feature';
import { takesActions } from '../state/takes.actions';
import { takesFeature } from '../state/takes.feature';
import { render } from '../test/render';
import { PathBar } from './path-bar';
import { PathCard } from './path-card';
import { PathWalk } from './path-walk';

const take = { id: 't1', name: 'Book intake, take 1', startedAt: '2026-11-30T08:00:00Z' } as CountedTake;
const script = { id: 's1', name: 'Book intake', takeId: 't1', handoffs: [] } as unknown as Script;

function open(scripts: Script[] = []) {
  TestBed.configureTestingModule({
    providers: [
      provideRouter([]),
      provideStore(Object.fromEntries([takesFeature, scriptsFeature, runsFeature].map(({ name, reducer }) => [name, reducer])) as never),
      { provide: Api, useValue: { scripts: () => of(scripts), runs: () => of([] as Run[]) } },
    ],
  });
  return TestBed.inject<Store>(Store);
}
const load = (store: Store, scripts: Script[]) => {
  store.dispatch(takesActions.listLoaded({ list: [take] }));
  store.dispatch(scriptsActions.listLoaded({ list: scripts }));
  store.dispatch(runsActions.listLoaded({ list: [] }));
};

/** What the project held already has been asked for. */
const settled = () => new Promise((done) => setTimeout(done));

beforeEach(() => {
  localStorage.clear();
});

describe('the path of a first visit, on screen', () => {
  it('is offered once, can be put off, and is begun later', async () => {
    open();
    const card = render(PathCard);
    expect(card.text()).toContain('First time here?');
    card.click('Not now');
    card.fixture.detectChanges();
    expect(card.text()).toContain('0 of 6 stops done');
    card.click('Begin it');
    await settled();
    card.fixture.detectChanges();
    expect(card.text()).toBe('');
    expect(TestBed.inject(PathWalk).kept().state).toBe('walking');
  });

  it('says what to do next and where, once it is known how far the project is', () => {
    const store = open();
    TestBed.inject(PathWalk).start({ before: [], runsBefore: [] });
    const bar = render(PathBar);
    expect(bar.text()).toContain('Looking how far you are…');
    load(store, []);
    bar.fixture.detectChanges();
    expect(bar.element.querySelector('[aria-current=step]')?.textContent).toContain('See it fail');
    expect(bar.text()).toContain('Open “Book intake, take 1”, and make a script of it.');
    expect(bar.element.querySelector('a')?.getAttribute('href')).toBe('/takes/t1');
    load(store, [script]);
    bar.fixture.detectChanges();
    expect(bar.element.querySelector('a')?.getAttribute('href')).toBe('/scripts/s1');
    TestBed.tick();
    expect(TestBed.inject(PathWalk).kept().walk.reached).toEqual(['record']);
  });

  it('is left, and taken up again where it was, also after the page was loaded anew', async () => {
    const store = open([script]);
    const walk = TestBed.inject(PathWalk);
    walk.start({ before: ['s1'], runsBefore: [] });
    const bar = render(PathBar);
    load(store, [script]);
    bar.fixture.detectChanges();
    TestBed.tick();
    bar.click('Leave the path');
    expect(walk.kept().state).toBe('left');
    TestBed.resetTestingModule();
    open([script]);
    const card = render(PathCard);
    expect(card.text()).toContain('1 of 6 stops done');
    card.click('Take it up');
    await settled();
    // What was there when it began is what counts, not what is there now.
    expect(TestBed.inject(PathWalk).kept()).toEqual({ state: 'walking', walk: { before: ['s1'], runsBefore: [], reached: ['record'] } });
  });

  it('begins anew where what is remembered cannot be read', () => {
    localStorage.setItem('sturdy-path-', '{');
    open();
    expect(TestBed.inject(PathWalk).kept().state).toBe('not asked');
  });
});
