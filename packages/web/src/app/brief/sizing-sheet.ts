import { ChangeDetectionStrategy, Component, computed, input, output, signal } from '@angular/core';
import { pacingForRate, usersForRate, type SizingRow } from '@sturdy/core';
import { figure } from '../shared/format';
import { NumberField } from '../shared/number-field';
import { WhyNot } from '../shared/why-not';

/** How many users the rates of the brief need, and the pacing that goes with them; beside it a calculator for any rate. */
@Component({
  selector: 'app-sizing-sheet',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [NumberField, WhyNot],
  template: `<div class="card-box">
      @for (row of rows(); track row.scriptId) {
        <div class="pad row-box">
          <b>{{ row.script }}</b>
          <div class="small muted">
            {{ figure(row.ratePerHour) }} an hour wanted · an iteration takes {{ figure(row.iterationSeconds, 1) }} s as recorded
          </div>
          <div class="cells">
            <app-number-field
              label="Pacing, s"
              [value]="rounded(row.pacingSeconds)"
              [min]="0.1"
              [max]="86400"
              hint="From the start of one iteration to the start of the next"
              (changed)="pacing.emit({ scriptId: row.scriptId, seconds: $event })"
            />
            <span class="muted" aria-hidden="true">⇄</span>
            <app-number-field
              label="Users"
              [value]="row.users"
              [min]="1"
              [max]="20000"
              [step]="1"
              hint="Gives the pacing with which so many users play the rate: P = 3600 · N / R"
              (changed)="pacing.emit({ scriptId: row.scriptId, seconds: pacingFor(row, $event) })"
            />
          </div>
          @if (row.warning; as sentence) {
            <p class="note warn small m-0 mt-1">{{ sentence }}</p>
          }
        </div>
      } @empty {
        <p class="pad m-0 muted small">
          Name key transactions as scripts have them, with a rate an hour: the users that they need are shown here.
        </p>
      }
      <div class="pad row-box total">
        <div class="big">{{ figure(allUsers()) }}</div>
        <span class="muted small">users in all</span>
        <span class="grow"></span>
        <button
          class="act main slim"
          (click)="workload.emit()"
          [whyNot]="allUsers() === 0 && 'No script plays a key transaction with a rate yet.'"
        >
          <i class="bi bi-people" aria-hidden="true"></i>Make a workload
        </button>
      </div>
    </div>
    <h2>For any rate</h2>
    <div class="card-box pad calculator">
      <app-number-field label="An hour" [value]="rate()" [min]="1" (changed)="rate.set($event)" />
      <app-number-field label="Pacing, s" [value]="seconds()" [min]="0.1" (changed)="seconds.set($event)" />
      <div>
        <div class="big">{{ figure(users()) }}</div>
        <span class="muted small">users (N = R · P / 3600)</span>
      </div>
    </div>`,
  styles: `
    .row-box {
      border-bottom: 1px solid var(--line);
    }
    .row-box:last-child {
      border-bottom: 0;
    }
    .cells,
    .calculator,
    .total {
      display: flex;
      gap: 10px;
      align-items: end;
    }
    .total {
      align-items: center;
    }
    .big {
      font-size: 22px;
      font-weight: 660;
      line-height: 1.1;
    }
  `,
})
export class SizingSheet {
  readonly rows = input.required<readonly SizingRow[]>();
  readonly pacing = output<{ scriptId: string; seconds: number }>();
  readonly workload = output();
  readonly allUsers = computed(() => this.rows().reduce((sum, { users }) => sum + users, 0));
  readonly rate = signal(900);
  readonly seconds = signal(60);
  readonly users = computed(() => usersForRate(this.rate(), this.seconds()));
  readonly figure = figure;

  rounded(seconds: number): number {
    return Number(seconds.toFixed(2));
  }
  /** Down to the hundredth, so that whole users never become one more by rounding. */
  pacingFor({ ratePerHour }: SizingRow, users: number): number {
    return Math.max(0.1, Math.floor(100 * pacingForRate(ratePerHour, users)) / 100);
  }
}
