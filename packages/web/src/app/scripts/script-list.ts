import { ChangeDetectionStrategy, Component, computed, inject } from '@angular/core';
import { RouterLink } from '@angular/router';
import { Store } from '@ngrx/store';
import { projectActions } from '../state/project.actions';
import { projectFeature } from '../state/project.feature';
import { ConfirmDelete } from '../shared/confirm-delete';
import { VerdictShape } from '../shared/verdict-shape';
import { actionSteps, type Script } from '@sturdy/core';
import { scriptsActions } from '../state/scripts.actions';
import { scriptsFeature } from '../state/scripts.feature';
import { ListPage } from '../shared/list-page';

/** All scripts of the project. */
@Component({
  selector: 'app-script-list',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [ListPage, RouterLink, ConfirmDelete, VerdictShape],
  template: `<app-list-page
    heading="Scripts"
    hint="what one virtual user does, made from a take"
    [count]="scripts().length"
    [listed]="listed()"
  >
    <ng-container ngProjectAs="[actions]"
      ><a class="act" routerLink="/patterns"><i class="bi bi-book" aria-hidden="true"></i>Handoff patterns</a></ng-container
    >
    <thead>
      <tr>
        <th>Script</th>
        <th class="num">Transactions</th>
        <th class="num">Actions</th>
        <th class="num">Handoffs</th>
        <th class="num">Unsure</th>
        <th>Last rehearsal</th>
        <th></th>
      </tr>
    </thead>
    <tbody>
      @for (script of scripts(); track script.id) {
        <tr>
          <td>
            <a [routerLink]="['/scripts', script.id]"
              ><b>{{ script.name }}</b></a
            >
          </td>
          <td class="num">{{ script.transactions.length }}</td>
          <td class="num">{{ actions(script) }}</td>
          <td class="num">{{ script.handoffs.length }}</td>
          <td class="num">{{ script.unsure.length }}</td>
          <td>
            @if (rehearsals().get(script.id); as cell) {
              <a class="cell" [routerLink]="cell.link"
                ><app-verdict [verdict]="cell.shape" /><span
                  >{{ cell.figure }}<span class="muted small d-block">{{ cell.detail }}</span></span
                ></a
              >
            }
          </td>
          <td class="num">
            <app-confirm-delete [name]="script.name" question="Delete with its rehearsals" (confirmed)="remove(script.id)" />
          </td>
        </tr>
      }
    </tbody>
    <ng-container ngProjectAs="[empty]"
      >No script yet. Open a take and make one from it.<br /><a class="act main" routerLink="/takes">Open the takes</a></ng-container
    >
  </app-list-page>`,
  styles: `
    .cell {
      display: flex;
      gap: 8px;
      color: inherit;
      text-decoration: none;
    }
  `,
})
export class ScriptList {
  readonly #store = inject(Store);
  readonly scripts = this.#store.selectSignal(scriptsFeature.selectAll);
  readonly listed = this.#store.selectSignal(scriptsFeature.selectListed);

  readonly #board = this.#store.selectSignal(projectFeature.selectBoard);
  /** What the last rehearsal of each script came to, by its id. */
  readonly rehearsals = computed(() => new Map((this.#board()?.rows ?? []).map((row) => [row.scriptId, row.rehearsal])));

  constructor() {
    this.#store.dispatch(scriptsActions.listAsked());
    this.#store.dispatch(projectActions.boardAsked());
  }

  actions(script: Script): number {
    return actionSteps(script).length;
  }

  remove(id: string): void {
    this.#store.dispatch(scriptsActions.deleteWanted({ id }));
  }
}
