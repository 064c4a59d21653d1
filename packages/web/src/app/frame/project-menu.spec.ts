import { TestBed } from '@angular/core/testing';
import { NgbModal } from '@ng-bootstrap/ng-bootstrap/modal';
import { provideStore, Store } from '@ngrx/store';
import { projectsActions } from '../state/projects.actions';
import { projectsFeature } from '../state/projects.feature';
import { projectSummary as project } from '../test/project-summary';
import { render } from '../test/render';
import { ProjectDialog } from './project-dialog';
import { ProjectMenu } from './project-menu';

it('the menu of the project leads to its settings, to others that are in use, and to the list of all', () => {
  const open = jest.fn();
  TestBed.configureTestingModule({
    providers: [provideStore({ [projectsFeature.name]: projectsFeature.reducer }), { provide: NgbModal, useValue: { open } }],
  });
  const store = TestBed.inject(Store);
  store.dispatch(
    projectsActions.listLoaded({
      projects: [project('p1', 'Tidewell'), project('p2', 'Order desk'), project('p3', 'Old ERP', 'archived')],
    }),
  );
  const { element, click } = render(ProjectMenu);
  click('Tidewell');
  expect([...element.querySelectorAll('a')].map((link) => [link.textContent.trim(), link.getAttribute('href')])).toEqual([
    ['Order desk', '/projects/p2/board'],
    ['All projects', '/projects'],
  ]);
  click('Settings of this project');
  expect(open).toHaveBeenCalledWith(ProjectDialog, { size: 'lg' });
});
