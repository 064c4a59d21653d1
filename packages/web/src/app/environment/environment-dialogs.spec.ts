import { TestBed } from '@angular/core/testing';
import { NgbModal } from '@ng-bootstrap/ng-bootstrap/modal';
import { provideStore, Store } from '@ngrx/store';
import { plainEnvironment, type Environment } from '@sturdy/core';
import { projectActions } from '../state/project.actions';
import { projectFeature } from '../state/project.feature';
import { EnvironmentDialogs } from './environment-dialogs';

const environment = plainEnvironment({ id: 'e', projectId: 'p', name: 'Here', targets: ['http://127.0.0.1:1'] });
const settled = () => new Promise((done) => setTimeout(done, 50));

/** The dialogs with what each that was opened shows; it is never closed. */
function dialogs() {
  const shown: Environment[] = [];
  const modals = {
    open: () => ({ componentInstance: { show: (opened: Environment) => shown.push(opened) }, result: new Promise(() => undefined) }),
  };
  TestBed.configureTestingModule({
    providers: [provideStore({ [projectFeature.name]: projectFeature.reducer }), { provide: NgbModal, useValue: modals }],
  });
  const store = TestBed.inject(Store);
  store.dispatch(projectActions.loaded({ environments: [environment], chosen: null }));
  return { store, shown, dialogs: TestBed.inject(EnvironmentDialogs) };
}

describe('the dialog of the environment', () => {
  it('shows the environment, with a proposed target that is not among its targets yet', async () => {
    const { dialogs: opener, shown } = dialogs();
    opener.open();
    opener.open('http://127.0.0.1:2');
    opener.open('http://127.0.0.1:1');
    await settled();
    expect(shown.map(({ targets }) => targets)).toEqual([
      ['http://127.0.0.1:1'],
      ['http://127.0.0.1:1', 'http://127.0.0.1:2'],
      ['http://127.0.0.1:1'],
    ]);
  });

  it('waits for an environment that is being saved: opened at once, it would show the old one and bring it back', async () => {
    const { dialogs: opener, shown, store } = dialogs();
    const changed = { ...environment, variables: { apiKey: 'medlar' } };
    store.dispatch(projectActions.environmentChanged({ environment: changed }));
    opener.open();
    await settled();
    expect(shown).toEqual([]);
    store.dispatch(projectActions.environmentSaved({ environment: changed }));
    await settled();
    expect(shown.map(({ variables }) => variables)).toEqual([{ apiKey: 'medlar' }]);
    // What could not be saved is as it was.
    store.dispatch(projectActions.environmentChanged({ environment }));
    store.dispatch(projectActions.environmentSaveFailed());
    opener.open();
    await settled();
    expect(shown.at(-1)).toEqual(changed);
  });
});
