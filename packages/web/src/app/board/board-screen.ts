import { ChangeDetectionStrategy, Component, inject, resource } from '@angular/core';
import { RouterLink } from '@angular/router';
import { Store } from '@ngrx/store';
import { firstValueFrom } from 'rxjs';
import { projectActions } from '../state/project.actions';
import { projectFeature } from '../state/project.feature';
import { runsActions } from '../state/runs.actions';
import { runsFeature } from '../state/runs.feature';
import { PathCard } from '../path/path-card';
import { Api, problemOf } from '../shared/api';
import type { Damaged } from '@sturdy/core';
import { moment } from '../shared/format';
import { messageActions } from '../state/messages';
import { VerdictShape } from '../shared/verdict-shape';

type Cells = 'take' | 'handoffs' | 'data' | 'rehearsal' | 'workload' | 'lastRun';

/** The project at a glance: one row for each script, what to do next, the last runs. */
@Component({
  selector: 'app-board',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [PathCard, RouterLink, VerdictShape],
  template: `<div class="page">
    <div class="columns">
      <div>
        <div class="page-head">
          <h1>Board</h1>
          <span class="muted small">{{ board()?.rows?.length ?? 0 }} {{ board()?.rows?.length === 1 ? 'script' : 'scripts' }}</span
          ><span class="grow"></span>
          <a class="act" routerLink="/takes/record"><i class="bi bi-record-circle" aria-hidden="true"></i>Record a take</a>
        </div>
        @for (damage of damaged.value() ?? []; track damage.kind + damage.id) {
          <div class="note warn damaged" role="alert">
            <span
              ><b>A {{ damage.kind }} cannot be read</b>{{ damage.name === '' ? '' : ': ' + damage.name }}.
              <span class="muted">{{ damage.reason }}.</span> It is kept as it is and holds up nothing else.</span
            >
            <span class="grow"></span>
            <a class="act slim" [href]="'/api/damaged/' + damage.kind + '?id=' + encode(damage.id)" download>Export it</a>
            <button class="act slim" (click)="deleteDamaged(damage)">Delete it</button>
          </div>
        }
        <div class="card-box">
          <table class="grid" aria-label="Scripts and how far they are">
            <thead>
              <tr>
                <th>Script</th>
                <th>Takes</th>
                <th>Handoffs</th>
                <th>Data</th>
                <th>Rehearsal</th>
                <th>Workload</th>
                <th>Last run</th>
              </tr>
            </thead>
            <tbody>
              @for (row of board()?.rows ?? []; track row.scriptId) {
                <tr>
                  <td>
                    <a class="name" [routerLink]="['/scripts', row.scriptId]">{{ row.name }}</a>
                    <div class="muted small">{{ row.detail }}</div>
                  </td>
                  @for (cell of cells; track cell) {
                    <td>
                      <a class="cell" [routerLink]="row[cell].link"
                        ><app-verdict [verdict]="row[cell].shape" /><span
                          >{{ row[cell].figure }}<span class="muted small d-block">{{ row[cell].detail }}</span></span
                        ></a
                      >
                    </td>
                  }
                </tr>
              } @empty {
                <tr>
                  <td colspan="7"><div class="empty">No script yet. Record a take, then make a script from it.</div></td>
                </tr>
              }
            </tbody>
          </table>
        </div>
        <h2>Runs</h2>
        <div class="card-box">
          <table class="grid" aria-label="Last runs">
            <tbody>
              @for (run of runs().slice(0, 5); track run.id) {
                <tr>
                  <td class="shape">
                    <app-verdict [verdict]="run.verdict === 'held' ? 'passed' : run.verdict === 'missed' ? 'failed' : 'drifted'" />
                  </td>
                  <td>
                    <a class="name" [routerLink]="['/runs', run.id]">Run {{ run.number }}, {{ run.workload.name }}</a>
                    <div class="muted small">{{ moment(run.startedAt) }}</div>
                  </td>
                  <td>{{ run.verdict === 'held' ? 'all criteria held' : run.verdict === 'missed' ? 'criteria missed' : run.state }}</td>
                </tr>
              } @empty {
                <tr>
                  <td class="muted">No run yet.</td>
                </tr>
              }
            </tbody>
          </table>
        </div>
      </div>
      <aside>
        <app-path-card />
        <h2 class="mt-0">What to do next</h2>
        <div class="card-box">
          @for (suggestion of board()?.next ?? []; track suggestion.title; let first = $first) {
            <div class="pad next">
              <b>{{ suggestion.title }}</b>
              <p class="muted small mb-2">{{ suggestion.reason }}</p>
              <a class="act" [class.main]="first" [routerLink]="suggestion.link">{{ suggestion.action }}</a>
            </div>
          } @empty {
            <div class="pad muted">Nothing waits for you. Change something, or start another run.</div>
          }
        </div>
      </aside>
    </div>
  </div>`,
  styles: `
    .columns {
      display: grid;
      grid-template-columns: minmax(0, 1fr) 300px;
      gap: 20px;
    }
    .damaged {
      display: flex;
      gap: 8px;
      align-items: center;
      margin-bottom: 10px;
      overflow-wrap: anywhere;
    }
    .name {
      font-weight: 620;
      color: var(--ink);
      text-decoration: none;
    }
    .name:hover {
      text-decoration: underline;
    }
    .cell {
      display: grid;
      grid-template-columns: 20px 1fr;
      color: var(--ink);
      text-decoration: none;
      align-items: baseline;
    }
    .cell:hover span {
      text-decoration: underline;
    }
    .shape {
      width: 34px;
    }
    .next {
      border-bottom: 1px solid var(--line);
      overflow-wrap: anywhere;
    }
    .next:last-child {
      border-bottom: 0;
    }
    aside .act {
      white-space: normal;
    }
  `,
})
export class BoardScreen {
  readonly #store = inject(Store);
  readonly board = this.#store.selectSignal(projectFeature.selectBoard);
  readonly runs = this.#store.selectSignal(runsFeature.selectList);
  readonly cells: Cells[] = ['take', 'handoffs', 'data', 'rehearsal', 'workload', 'lastRun'];
  readonly moment = moment;
  readonly encode = encodeURIComponent;
  readonly #api = inject(Api);
  // The board itself reads everything that could be damaged, so it is asked first.
  readonly damaged = resource({
    params: () => this.board() ?? undefined,
    loader: (): Promise<Damaged[]> => firstValueFrom(this.#api.damaged()),
  });

  deleteDamaged(damaged: Damaged): void {
    this.#api.deleteDamaged(damaged).subscribe({
      next: () => this.damaged.reload(),
      error: (error: unknown) => {
        this.#store.dispatch(messageActions.told({ tone: 'bad', text: problemOf(error) }));
      },
    });
  }

  constructor() {
    this.#store.dispatch(projectActions.boardAsked());
    this.#store.dispatch(runsActions.listAsked());
  }
}
