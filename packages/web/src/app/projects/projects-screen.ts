import { ChangeDetectionStrategy, Component, computed, inject, signal } from '@angular/core';
import { Store } from '@ngrx/store';
import { projectLine, type Project, type ProjectState, type ProjectSummary } from '@sturdy/core';
import { ConfirmDelete } from '../shared/confirm-delete';
import { moment } from '../shared/format';
import { addressIn } from '../shared/project-address';
import { VerdictShape } from '../shared/verdict-shape';
import { WhyNot } from '../shared/why-not';
import { projectsActions } from '../state/projects.actions';
import { projectsFeature } from '../state/projects.feature';

/** All projects: how far each is, in a line; new, named anew, archived, deleted and had back. */
@Component({
  selector: 'app-projects',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [ConfirmDelete, VerdictShape, WhyNot],
  templateUrl: './projects-screen.html',
  styleUrl: './projects-screen.scss',
})
export class ProjectsScreen {
  readonly #store = inject<Store>(Store);
  readonly projects = this.#store.selectSignal(projectsFeature.selectList);
  readonly listed = this.#store.selectSignal(projectsFeature.selectListed);
  readonly inUse = computed(() => this.#of('active'));
  readonly archived = computed(() => this.#of('archived'));
  readonly deleted = computed(() => this.#of('deleted'));
  /** The project that is being named anew, `new` for one that is to be made; null where no name is asked for. */
  readonly naming = signal<ProjectSummary | 'new' | null>(null);
  readonly name = signal('');
  readonly nameProblem = computed(() => {
    const name = this.name().trim();
    const named = this.naming();
    if (name === '') return 'Give the project a name.';
    return this.projects().some((project) => project.name === name && project !== named && project.state !== 'deleted')
      ? 'There is a project of this name already.'
      : false;
  });
  readonly line = projectLine;
  readonly moment = moment;
  readonly addressIn = addressIn;

  constructor() {
    this.#store.dispatch(projectsActions.listAsked());
  }

  #of(state: ProjectState): ProjectSummary[] {
    return this.projects().filter((project) => project.state === state);
  }

  askName(project: ProjectSummary | 'new'): void {
    this.name.set(project === 'new' ? '' : project.name);
    this.naming.set(project);
  }

  keepName(): void {
    const project = this.naming();
    if (project === null || this.nameProblem() !== false) return;
    const name = this.name().trim();
    this.#store.dispatch(project === 'new' ? projectsActions.projectWanted({ name }) : this.#changed({ ...project, name }));
    this.naming.set(null);
  }

  move(project: ProjectSummary, state: ProjectState): void {
    this.#store.dispatch(this.#changed({ ...project, state }));
  }

  remove({ id }: ProjectSummary): void {
    this.#store.dispatch(projectsActions.removalWanted({ id }));
  }

  #changed({ id, name, state }: Project) {
    return projectsActions.projectChanged({ project: { id, name, state } });
  }
}
