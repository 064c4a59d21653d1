import { TestBed } from '@angular/core/testing';
import { provideRouter } from '@angular/router';
import { NgbModal } from '@ng-bootstrap/ng-bootstrap/modal';
import { provideStore, Store, type Action } from '@ngrx/store';
import { plainEnvironment, type Environment, type HistoryEntry } from '@sturdy/core';
import { of } from 'rxjs';
import { Api } from '../shared/api';
import { projectActions } from '../state/project.actions';
import { projectFeature } from '../state/project.feature';
import { render } from '../test/render';
import { EnvironmentPill } from './environment-pill';
import { EnvironmentsScreen } from './environments-screen';

const erp = 'http://erp-test.company.example';
const here = plainEnvironment({ id: 'e1', projectId: 'p', name: 'This machine', targets: ['http://127.0.0.1:1'] });
/** A clearance lasts a year at the most. */
const until = new Date(Date.now() + 30 * 86_400_000).toISOString().slice(0, 10);
const staging: Environment = {
  ...plainEnvironment({ id: 'e2', projectId: 'p', name: 'Staging', targets: [erp, 'http://old.company.example'] }),
  productionLike: true,
  clearances: [{ origin: erp, by: 'Mara', for: 'a test', until, requestsPerSecond: 5, users: null, host: '', addresses: ['10.20.0.7'] }],
};
const past: HistoryEntry[] = [
  { id: 'h', at: '2026-11-30T08:00:00Z', by: 'Kim', kind: 'used', origin: erp, environment: 'Staging', text: 'Run 3 may go to 10.20.0.7.' },
];

/** A part of the page, on a store that keeps the actions that were dispatched on it. */
async function on<T>(component: new () => T, environments: Environment[], history = past) {
  TestBed.configureTestingModule({
    providers: [
      provideRouter([]),
      provideStore({ [projectFeature.name]: projectFeature.reducer }),
      { provide: Api, useValue: { history: () => of(history) } },
      { provide: NgbModal, useValue: { open: jest.fn() } },
    ],
  });
  const store = TestBed.inject(Store);
  store.dispatch(projectActions.loaded({ environments, chosen: null }));
  const dispatched: Action[] = [];
  jest.spyOn(store, 'dispatch').mockImplementation(((action: Action) => void dispatched.push(action)) as never);
  const rendered = render(component);
  await rendered.fixture.whenStable();
  rendered.fixture.detectChanges();
  return { ...rendered, dispatched };
}

describe('the environments', () => {
  it('show each target with how it stands, where it leads, and what may be done about it', async () => {
    const { element, text } = await on(EnvironmentsScreen, [here, staging]);
    const targets = [...element.querySelectorAll('.target')].map((target) => target.textContent.replace(/\s+/g, ' ').trim());
    expect(targets[0]).toBe('this machinehttp://127.0.0.1:1');
    expect(targets[1]).toMatch(
      /^clearedhttp:\/\/erp-test.*Take it back.*Clear it anew… Cleared by Mara until .*At most 5 requests.*10\.20\.0\.7; connections to other addresses are refused/,
    );
    expect(targets[2]).toMatch(/^not clearedhttp:\/\/old\.company\.example Clear it… .*is not cleared/);
    expect(text()).toContain('Stagingproduction-like');
    expect(text()).toContain('KimStaginghttp://erp-test.company.exampleusedRun 3 may go to 10.20.0.7.');
  });

  it('are chosen, copied under a free name, and taken back their clearances', async () => {
    const { click, enter, button, dispatched } = await on(EnvironmentsScreen, [here, staging]);
    click('Use it');
    click('Take it back');
    click('Duplicate');
    enter('Name of the copy of “This machine”', 'Staging');
    expect(button('Add it').title).toBe('There is an environment of that name already.');
    enter('Name of the copy', 'Data centre');
    click('Add it');
    expect(dispatched).toEqual([
      projectActions.environmentChosen({ id: 'e2' }),
      projectActions.withdrawalWanted({ environment: 'e2', origin: erp }),
      projectActions.environmentWanted({ name: 'Data centre', copyOf: 'e1' }),
    ]);
  });

  it('are laid beside each other', async () => {
    const { click, element } = await on(EnvironmentsScreen, [here, staging]);
    click('Compare two');
    const rows = [...element.querySelectorAll('[aria-label=Differences] tbody tr')].map((row) =>
      [...row.querySelectorAll('td')].map((cell) => cell.textContent.trim()),
    );
    expect(rows).toContainEqual(['Name', 'This machine', 'Staging']);
    expect(rows).toContainEqual([`Target ${erp}`, '–', 'allowed']);
  });

  it('say what to do where there is one without a target, and no history', async () => {
    const { text, button } = await on(EnvironmentsScreen, [{ ...here, targets: [] }], []);
    expect(text()).toContain('It has no target yet, so nothing may be hit in it.');
    expect(text()).toContain('Nobody has cleared a target yet.');
    expect(button('Compare two').title).toBe('There is only one environment.');
  });
});

describe('the environment in the top bar', () => {
  it('is one of several to choose from, and says in words that it is production-like', async () => {
    const { field, element, dispatched, enter, text } = await on(EnvironmentPill, [staging, here]);
    expect((field('Environment in which') as HTMLSelectElement).value).toBe('e2');
    expect([text().includes('production-like'), element.querySelector('.production') !== null]).toEqual([true, true]);
    enter('Environment in which', 'e1');
    expect(dispatched).toEqual([projectActions.environmentChosen({ id: 'e1' })]);
  });

  it('is only named where it is the only one', async () => {
    const { element, text } = await on(EnvironmentPill, [here]);
    expect([element.querySelector('select'), text()]).toEqual([null, 'EnvironmentThis machine']);
  });
});
