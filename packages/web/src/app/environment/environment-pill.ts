import { ChangeDetectionStrategy, Component, inject } from '@angular/core';
import { RouterLink } from '@angular/router';
import { Store } from '@ngrx/store';
import { projectActions } from '../state/project.actions';
import { projectFeature } from '../state/project.feature';
import { EnvironmentDialogs } from './environment-dialogs';

/** The chosen environment in the top bar: which one, whether it is production-like, and the way to another. */
@Component({
  selector: 'app-environment-pill',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [RouterLink],
  template: `<span class="pill" [class.production]="chosen()?.productionLike">
    <a routerLink="/environments" title="All environments, and who cleared their targets"
      ><i class="bi bi-geo" aria-hidden="true"></i>Environment</a
    >
    @if (all().length > 1) {
      <select aria-label="Environment in which you record, rehearse and run" #choice (change)="choose(choice.value)">
        @for (environment of all(); track environment.id) {
          <option [value]="environment.id" [selected]="environment.id === chosen()?.id">{{ environment.name }}</option>
        }
      </select>
    } @else {
      <b>{{ chosen()?.name ?? 'none' }}</b>
    }
    @if (chosen()?.productionLike) {
      <span>production-like</span>
    }
    <button (click)="change()" aria-label="Change the environment" title="Change the environment">
      <i class="bi bi-pencil" aria-hidden="true"></i>
    </button>
  </span>`,
  styles: `
    .production {
      border-color: var(--red);
      background: var(--red-soft);
      color: var(--red);
      font-weight: 600;
    }
    a {
      display: inline-flex;
      gap: 6px;
      color: inherit;
      text-decoration: none;
    }
    a:hover {
      text-decoration: underline;
    }
    b,
    select {
      color: var(--ink);
    }
    select {
      max-width: 200px;
      font: 600 13px var(--ui);
      border: 0;
      background: var(--surface);
    }
    button {
      border: 0;
      background: none;
      color: inherit;
      padding: 0 2px;
    }
  `,
})
export class EnvironmentPill {
  readonly #store = inject(Store);
  readonly #dialogs = inject(EnvironmentDialogs);
  readonly all = this.#store.selectSignal(projectFeature.selectEnvironments);
  readonly chosen = this.#store.selectSignal(projectFeature.selectEnvironment);

  choose(id: string): void {
    this.#store.dispatch(projectActions.environmentChosen({ id }));
  }

  change(): void {
    this.#dialogs.open();
  }
}
