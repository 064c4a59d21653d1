import { DatePipe } from '@angular/common';
import { ChangeDetectionStrategy, Component, computed, inject, signal } from '@angular/core';
import { Router, RouterLink, RouterLinkActive, RouterOutlet } from '@angular/router';
import { NgbModal } from '@ng-bootstrap/ng-bootstrap/modal';
import { Store } from '@ngrx/store';
import { dataActions } from './state/data.actions';
import { dataFeature } from './state/data.feature';
import { allCommands, places } from './frame/commands';
import { EnvironmentPill } from './environment/environment-pill';
import { Palette } from './frame/palette';
import { PathBar } from './path/path-bar';
import { PathStarter } from './path/path-starter';
import { PathWalk } from './path/path-walk';
import { ProjectDialog } from './frame/project-dialog';
import { ProjectMenu } from './frame/project-menu';
import { projectId } from './shared/api';
import { addressIn, allProjects } from './shared/project-address';
import { Theme } from './shared/theme';
import { projectActions } from './state/project.actions';
import { projectFeature } from './state/project.feature';
import { projectsActions } from './state/projects.actions';
import { projectsFeature } from './state/projects.feature';
import { runsActions } from './state/runs.actions';
import { runsFeature } from './state/runs.feature';
import { RehearsalStarter } from './rehearsal/rehearsal-starter';
import { scriptsActions } from './state/scripts.actions';
import { scriptsFeature } from './state/scripts.feature';
import { messageActions, messagesFeature } from './state/messages';
import { takesActions } from './state/takes.actions';
import { takesFeature } from './state/takes.feature';
import { workloadsActions } from './state/workloads.actions';
import { workloadsFeature } from './state/workloads.feature';

/** The frame of every screen: rail, top bar with what is live, messages, command palette. */
@Component({
  selector: 'app-root',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [DatePipe, EnvironmentPill, PathBar, ProjectMenu, RouterOutlet, RouterLink, RouterLinkActive],
  host: { '(document:keydown)': 'key($event)' },
  templateUrl: './app.html',
  styleUrl: './app.scss',
})
export class App {
  readonly #starter = inject(RehearsalStarter);
  readonly #store = inject<Store>(Store);
  readonly #router = inject(Router);
  readonly #modals = inject(NgbModal);
  readonly path = inject(PathStarter);
  readonly #walk = inject(PathWalk);
  readonly isWalking = computed(() => this.#walk.kept().state === 'walking');
  readonly theme = inject(Theme);
  readonly places = places;
  readonly projectId = projectId;
  readonly hasProject = projectId !== '';
  readonly addressIn = addressIn;
  readonly allProjects = allProjects;
  readonly #projects = this.#store.selectSignal(projectsFeature.selectList);
  readonly #projectsListed = this.#store.selectSignal(projectsFeature.selectListed);
  readonly isGone = computed(
    () => this.hasProject && this.#projectsListed() && !this.#projects().some(({ id, state }) => id === projectId && state !== 'deleted'),
  );
  readonly live = this.#store.selectSignal(projectFeature.selectLive);
  readonly messages = this.#store.selectSignal(messagesFeature.selectList);
  readonly rehearsing = this.#store.selectSignal(scriptsFeature.selectBusy);
  readonly help = signal(false);
  readonly scriptLink = computed(() => `/scripts/${this.#current()?.id ?? ''}`);
  readonly #current = this.#store.selectSignal(scriptsFeature.selectCurrent);
  readonly #takes = this.#store.selectSignal(takesFeature.selectAll);
  readonly #scripts = this.#store.selectSignal(scriptsFeature.selectAll);
  readonly #tables = this.#store.selectSignal(dataFeature.selectTables);
  readonly #workloads = this.#store.selectSignal(workloadsFeature.selectList);
  readonly #runs = this.#store.selectSignal(runsFeature.selectList);

  constructor() {
    this.#store.dispatch(projectsActions.listAsked());
    if (this.hasProject) this.#store.dispatch(projectActions.opened());
    this.#store.dispatch(projectActions.liveAsked());
  }

  key(event: KeyboardEvent): void {
    if ((event.ctrlKey || event.metaKey) && event.key.toLowerCase() === 'k') {
      event.preventDefault();
      this.palette();
    }
  }

  palette(): void {
    if (this.#modals.hasOpenModals() || !this.hasProject) return;
    this.#store.dispatch(takesActions.listAsked());
    this.#store.dispatch(scriptsActions.listAsked());
    this.#store.dispatch(dataActions.listAsked());
    this.#store.dispatch(workloadsActions.listAsked());
    this.#store.dispatch(runsActions.listAsked());
    const modal = this.#modals.open(Palette, { animation: false });
    const dialog = modal.componentInstance as Palette;
    const fill = () =>
      dialog.commands.set(
        allCommands({
          router: this.#router,
          store: this.#store,
          starter: this.#starter,
          theme: this.theme,
          path: this.path,
          takes: this.#takes(),
          scripts: this.#scripts(),
          tables: this.#tables(),
          workloads: this.#workloads(),
          runs: this.#runs(),
          projects: this.#projects(),
          editProject: () => {
            this.#modals.open(ProjectDialog, { size: 'lg' });
          },
          scriptAtHand: this.#router.url.startsWith('/scripts/') ? this.#current() : null,
        }),
      );
    fill();
    // The lists come a moment later; the palette is filled anew then.
    setTimeout(fill, 300);
  }

  close(id: number): void {
    this.#store.dispatch(messageActions.closed({ id }));
  }

  stopRecording(): void {
    this.#store.dispatch(takesActions.stopWanted());
  }
}
