import { ChangeDetectionStrategy, Component, computed, inject } from '@angular/core';
import { NgbDropdownModule } from '@ng-bootstrap/ng-bootstrap/dropdown';
import { NgbModal } from '@ng-bootstrap/ng-bootstrap/modal';
import { Store } from '@ngrx/store';
import { projectId } from '../shared/api';
import { addressIn, allProjects } from '../shared/project-address';
import { projectsFeature } from '../state/projects.feature';
import { ProjectDialog } from './project-dialog';

/** The name of the project in the top bar: what holds for all of it, and the way to another one. */
@Component({
  selector: 'app-project-menu',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [NgbDropdownModule],
  template: `<span ngbDropdown class="d-inline-block">
    <button class="project" ngbDropdownToggle title="Settings of the project, and other projects">{{ name() || 'Project' }}</button>
    <span ngbDropdownMenu>
      <button ngbDropdownItem (click)="editProject()"><i class="bi bi-sliders" aria-hidden="true"></i>Settings of this project</button>
      <div class="dropdown-divider"></div>
      @for (project of others(); track project.id) {
        <a ngbDropdownItem [href]="addressIn(project.id)"><i class="bi bi-folder2" aria-hidden="true"></i>{{ project.name }}</a>
      }
      <a ngbDropdownItem [href]="allProjects"><i class="bi bi-collection" aria-hidden="true"></i>All projects</a>
    </span>
  </span>`,
  styles: `
    .project {
      border: 0;
      background: none;
      padding: 4px 6px;
      margin-left: -6px;
      border-radius: 6px;
      color: var(--ink);
      font-weight: 640;
      white-space: nowrap;
      max-width: 260px;
      overflow: hidden;
      text-overflow: ellipsis;
    }
    .project:hover {
      background: var(--sunk);
    }
    i {
      margin-right: 8px;
      color: var(--ink-2);
    }
  `,
})
export class ProjectMenu {
  readonly #modals = inject(NgbModal);
  readonly #store = inject<Store>(Store);
  readonly #list = this.#store.selectSignal(projectsFeature.selectList);
  readonly name = computed(() => this.#list().find(({ id }) => id === projectId)?.name ?? '');
  readonly #active = this.#store.selectSignal(projectsFeature.selectActive);
  readonly others = computed(() => this.#active().filter(({ id }) => id !== projectId));
  readonly addressIn = addressIn;
  readonly allProjects = allProjects;

  editProject(): void {
    this.#modals.open(ProjectDialog, { size: 'lg' });
  }
}
