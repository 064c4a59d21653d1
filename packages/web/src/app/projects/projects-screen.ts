import { ChangeDetectionStrategy, Component, computed, inject, signal } from '@angular/core';
import { NgbDropdownModule } from '@ng-bootstrap/ng-bootstrap/dropdown';
import { Store } from '@ngrx/store';
import { projectLine, type Project, type ProjectState, type ProjectSummary } from '@sturdy/core';
import { ConfirmDelete } from '../shared/confirm-delete';
import { bytes, moment } from '../shared/format';
import { MissingSecrets } from '../shared/missing-secrets';
import { addressIn } from '../shared/project-address';
import { VerdictShape } from '../shared/verdict-shape';
import { WhyNot } from '../shared/why-not';
import { projectsActions } from '../state/projects.actions';
import { projectsFeature } from '../state/projects.feature';

/** All projects: how far each is, in a line; new, named anew, archived, deleted and had back. */
@Component({
  selector: 'app-projects',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [ConfirmDelete, MissingSecrets, NgbDropdownModule, VerdictShape, WhyNot],
  host: { '(dragover)': '$event.preventDefault(); dragged.set(true)', '(dragleave)': 'dragged.set(false)', '(drop)': 'drop($event)' },
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
  readonly importing = this.#store.selectSignal(projectsFeature.selectImporting);
  readonly imported = this.#store.selectSignal(projectsFeature.selectImported);
  readonly dragged = signal(false);
  readonly bytes = bytes;
  /** What a name is asked for: a project that is to be made, named anew or copied; null where none is. */
  readonly naming = signal<{ act: 'new' } | { act: 'rename' | 'copy'; project: ProjectSummary } | null>(null);
  readonly name = signal('');
  readonly nameProblem = computed(() => {
    const name = this.name().trim();
    const named = this.naming();
    if (name === '') return 'Give the project a name.';
    const renamed = named?.act === 'rename' ? named.project : null;
    return this.projects().some((project) => project.name === name && project !== renamed && project.state !== 'deleted')
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

  askName(act: 'rename' | 'copy', project: ProjectSummary): void {
    this.name.set(act === 'rename' ? project.name : `${project.name}, copy`);
    this.naming.set({ act, project });
  }

  askNewName(): void {
    this.name.set('');
    this.naming.set({ act: 'new' });
  }

  keepName(): void {
    const named = this.naming();
    if (named === null || this.nameProblem() !== false) return;
    const name = this.name().trim();
    if (named.act === 'new') this.#store.dispatch(projectsActions.projectWanted({ name }));
    else if (named.act === 'copy') this.#store.dispatch(projectsActions.copyWanted({ id: named.project.id, name }));
    else this.#store.dispatch(this.#changed({ ...named.project, name }));
    this.naming.set(null);
  }

  choose(input: HTMLInputElement): void {
    const file = input.files?.[0];
    if (file) this.#store.dispatch(projectsActions.fileChosen({ file }));
    input.value = '';
  }

  drop(event: DragEvent): void {
    event.preventDefault();
    this.dragged.set(false);
    const file = event.dataTransfer?.files[0];
    if (file) this.#store.dispatch(projectsActions.fileChosen({ file }));
  }

  giveSecrets(secrets: Readonly<Record<string, string>>): void {
    const imported = this.imported();
    if (imported) this.#store.dispatch(projectsActions.secretsGiven({ id: imported.project.id, secrets }));
  }

  closeImport(): void {
    this.#store.dispatch(projectsActions.importClosed());
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
