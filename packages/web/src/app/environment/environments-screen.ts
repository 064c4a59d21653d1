import { ChangeDetectionStrategy, Component, computed, inject, resource, signal } from '@angular/core';
import { NgbModal } from '@ng-bootstrap/ng-bootstrap/modal';
import { Store } from '@ngrx/store';
import { compareEnvironments, missingSecretsOf, targetStates, type Environment, type HistoryEntry, type TargetState } from '@sturdy/core';
import { firstValueFrom } from 'rxjs';
import { Api, projectId } from '../shared/api';
import { ConfirmDelete } from '../shared/confirm-delete';
import { moment } from '../shared/format';
import { MissingSecrets } from '../shared/missing-secrets';
import { WhyNot } from '../shared/why-not';
import { projectActions } from '../state/project.actions';
import { projectFeature } from '../state/project.feature';
import { projectsActions } from '../state/projects.actions';
import { ClearDialog } from './clear-dialog';
import { EnvironmentDialogs } from './environment-dialogs';

const standingWords: Record<TargetState['standing'], string> = {
  here: 'this machine',
  cleared: 'cleared',
  ended: 'clearance ended',
  'not-cleared': 'not cleared',
};
const kindWords: Record<HistoryEntry['kind'], string> = {
  cleared: 'cleared',
  withdrawn: 'taken back',
  used: 'used',
  refused: 'refused',
};

/** The environments of the project: their targets and who cleared them, in what two of them differ, and the history of clearances. */
@Component({
  selector: 'app-environments-screen',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [ConfirmDelete, MissingSecrets, WhyNot],
  templateUrl: './environments-screen.html',
  styleUrl: './environments-screen.scss',
})
export class EnvironmentsScreen {
  readonly #api = inject(Api);
  readonly #store = inject(Store);
  readonly #modals = inject(NgbModal);
  readonly #dialogs = inject(EnvironmentDialogs);
  readonly environments = this.#store.selectSignal(projectFeature.selectEnvironments);
  readonly chosen = this.#store.selectSignal(projectFeature.selectEnvironment);
  readonly standingWords = standingWords;
  readonly kindWords = kindWords;
  readonly moment = moment;
  readonly cards = computed(() =>
    this.environments().map((environment) => {
      const secrets = missingSecretsOf(environment);
      return {
        environment,
        targets: targetStates(environment, Date.now()),
        missing: secrets.length > 0 ? [{ environment: environment.name, secrets }] : [],
      };
    }),
  );

  giveSecrets(secrets: Readonly<Record<string, string>>): void {
    this.#store.dispatch(projectsActions.secretsGiven({ id: projectId, secrets }));
  }

  /** Asked for anew whenever an environment has changed. */
  readonly history = resource({ params: () => this.environments(), loader: () => firstValueFrom(this.#api.history()) });
  /** The environment that is being added: `copyOf` is the one that it copies, null where it copies none. Null where none is being added. */
  readonly adding = signal<{ copyOf: Environment | null } | null>(null);
  readonly newName = signal('');
  readonly newNameProblem = computed(() => {
    const name = this.newName().trim();
    if (name === '') return 'Give the environment a name.';
    return this.environments().some((environment) => environment.name === name) ? 'There is an environment of that name already.' : null;
  });
  readonly compared = signal<{ left: string; right: string } | null>(null);
  readonly differences = computed(() => {
    const compared = this.compared();
    const find = (id: string | undefined) => this.environments().find((environment) => environment.id === id);
    const [left, right] = [find(compared?.left), find(compared?.right)];
    return left && right ? { left, right, rows: compareEnvironments(left, right) } : null;
  });

  choose({ id }: Environment): void {
    this.#store.dispatch(projectActions.environmentChosen({ id }));
  }
  change(environment: Environment): void {
    this.#dialogs.open(undefined, environment.id);
  }
  beginAdding(copyOf: Environment | null): void {
    this.adding.set({ copyOf });
    this.newName.set(copyOf ? `${copyOf.name}, copy` : '');
  }
  add(): void {
    const copyOf = this.adding()?.copyOf?.id;
    if (this.newNameProblem() !== null) return;
    this.#store.dispatch(projectActions.environmentWanted({ name: this.newName().trim(), ...(copyOf === undefined ? {} : { copyOf }) }));
    this.adding.set(null);
  }
  remove({ id }: Environment): void {
    this.#store.dispatch(projectActions.environmentRemovalWanted({ id }));
  }
  compare(): void {
    const [left, right] = this.environments();
    if (left && right)
      this.compared.set({ left: this.chosen()?.id ?? left.id, right: this.chosen()?.id === right.id ? left.id : right.id });
  }
  clear(environment: Environment, { origin }: TargetState): void {
    const modal = this.#modals.open(ClearDialog);
    (modal.componentInstance as ClearDialog).show(environment, origin);
    modal.result.then(
      (cleared: Environment) => {
        this.#store.dispatch(projectActions.environmentSaved({ environment: cleared }));
      },
      // A clearing that was refused stands in the history, too.
      () => this.history.reload(),
    );
  }
  withdraw(environment: Environment, { origin }: TargetState): void {
    this.#store.dispatch(projectActions.withdrawalWanted({ environment: environment.id, origin }));
  }
}
