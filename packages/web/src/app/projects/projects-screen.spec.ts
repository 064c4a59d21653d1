import { TestBed } from '@angular/core/testing';
import { provideStore, Store, type Action } from '@ngrx/store';
import type { ImportedProject, ProjectState, ProjectSummary } from '@sturdy/core';
import { projectsActions } from '../state/projects.actions';
import { projectsFeature } from '../state/projects.feature';
import { projectSummary as project } from '../test/project-summary';
import { render } from '../test/render';
import { ProjectsScreen } from './projects-screen';

const all = [
  project('p1', 'Tidewell', 'active', {
    takes: 4,
    runs: 2,
    lastRun: { id: 'r', number: 2, state: 'done', verdict: 'missed', startedAt: '2026-11-30T08:00:00Z', workload: 'Peak hour' },
  }),
  project('p2', 'Old ERP', 'archived', { takes: 1 }),
  project('p3', 'Trial', 'deleted'),
];

/** The screen on a store that keeps the actions that were dispatched on it. */
function screen(projects: ProjectSummary[], before: Action[] = []) {
  TestBed.configureTestingModule({ providers: [provideStore({ [projectsFeature.name]: projectsFeature.reducer })] });
  const store = TestBed.inject(Store);
  store.dispatch(projectsActions.listLoaded({ projects }));
  for (const action of before) store.dispatch(action);
  const dispatched: Action[] = [];
  jest.spyOn(store, 'dispatch').mockImplementation(((action: Action) => void dispatched.push(action)) as never);
  const rendered = render(ProjectsScreen);
  return { ...rendered, dispatched: () => dispatched.slice(1) };
}

describe('the list of projects', () => {
  it('says how far each is, and leads into it; what was put aside stands apart', () => {
    const { element, text } = screen(all);
    const row = element.querySelector('tbody tr');
    expect(row?.textContent.replace(/\s+/g, ' ')).toContain('Run 2, Peak hour: criteria missed');
    expect(row?.querySelector('a.name')?.getAttribute('href')).toBe('/projects/p1/board');
    expect(row?.querySelector('a[download]')?.getAttribute('href')).toBe('/api/projects/p1/export');
    expect(element.querySelector('[aria-label="Archived projects"]')?.textContent).toContain('1 take, no script yet');
    expect(element.querySelector('[aria-label="Deleted projects"] a')).toBeNull();
    expect(text()).toContain('They are kept until you delete them for good.');
  });

  it('makes, renames, copies, archives, deletes and has back, under names that are free', () => {
    const { click, enter, button, dispatched, fixture } = screen(all);
    // The menu hangs at the end of the page, so that no table cuts it off.
    const choose = (entry: string) => {
      click('More of Tidewell');
      [...document.querySelectorAll<HTMLElement>('[ngbDropdownItem]')].find(({ textContent }) => textContent === entry)?.click();
      fixture.detectChanges();
    };
    click('New project');
    enter('Name of the new project', 'Tidewell');
    expect(button('Make it').title).toBe('There is a project of this name already.');
    // That of a deleted one is free.
    enter('Name of the new project', 'Trial');
    click('Make it');
    choose('Rename');
    enter('New name of “Tidewell”', 'Tidewell 4.2');
    click('Name it so');
    choose('Duplicate');
    click('Copy it');
    choose('Archive');
    click('Delete Tidewell');
    click('Delete it');
    click('Use it again');
    click('Have it back');
    click('Delete Trial for good');
    click('Delete all of it for good');
    const moved = (id: string, name: string, state: ProjectState) => projectsActions.projectChanged({ project: { id, name, state } });
    expect(dispatched()).toEqual([
      projectsActions.projectWanted({ name: 'Trial' }),
      moved('p1', 'Tidewell 4.2', 'active'),
      projectsActions.copyWanted({ id: 'p1', name: 'Tidewell, copy' }),
      moved('p1', 'Tidewell', 'archived'),
      moved('p1', 'Tidewell', 'deleted'),
      moved('p2', 'Old ERP', 'active'),
      moved('p3', 'Trial', 'active'),
      projectsActions.removalWanted({ id: 'p3' }),
    ]);
  });

  it('asks once for the secrets that an imported project needs, and says what has to be cleared', () => {
    const imported: ImportedProject = {
      project: { id: 'p9', name: 'Tidewell (2)', state: 'active' },
      missing: [{ environment: 'Staging', secrets: [{ name: 'STAGING_PASSWORD', what: 'password of kim at all targets' }] }],
      uncleared: ['http://10.20.0.7'],
    };
    const { text, button, enter, click, dispatched } = screen(all, [projectsActions.projectImported({ imported })]);
    expect(text()).toContain('Tidewell (2) is here.');
    expect(text()).toContain('Staging: password of kim at all targets');
    expect(text()).toContain('clear its targets beyond this machine here: http://10.20.0.7');
    expect(button('Keep them').title).toBe('Write at least one of them first.');
    enter('STAGING_PASSWORD', 'quince-7781');
    click('Keep them');
    expect(dispatched()).toEqual([projectsActions.secretsGiven({ id: 'p9', secrets: { STAGING_PASSWORD: 'quince-7781' } })]);
  });

  it('shows how much of a file is sent, and an empty list with what to do', () => {
    const file = new File(['x'], 'tidewell.zip');
    const { text } = screen([], [projectsActions.fileChosen({ file }), projectsActions.importProgressed({ loaded: 50, total: 50 })]);
    expect(text()).toMatch(/Importing: 50 B of 50 B sent, reading all of it/);
    expect(text()).toContain('No project is in use. Make a new one.');
  });
});
