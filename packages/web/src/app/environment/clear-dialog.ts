import { ChangeDetectionStrategy, Component, computed, inject, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { NgbActiveModal } from '@ng-bootstrap/ng-bootstrap/modal';
import { ClearingSchema, hostOf, longestClearanceDays, type Clearing, type LookedUpTarget } from '@sturdy/core';
import { Person } from '../shared/person';
import { Api, problemOf } from '../shared/api';
import { WhyNot } from '../shared/why-not';

const reachWords: Record<LookedUpTarget['addresses'][number]['reach'], string> = {
  loopback: 'this machine',
  private: 'private network',
  public: 'public internet',
  forbidden: 'never allowed',
};
const dayIn = (days: number): string => new Date(Date.now() + days * 86_400_000).toISOString().slice(0, 10);
/** A number that was left empty is no ceiling. */
const ceiling = (written: number | null): number | null => (written === null || Number.isNaN(written) ? null : written);

/** Clears a target beyond this machine: shows where it leads, and asks who allows it, what for, until when, and how much it bears. */
@Component({
  selector: 'app-clear-dialog',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FormsModule, WhyNot],
  template: `<form class="form-contents" (ngSubmit)="clear()">
    <div class="modal-header">
      <h2 class="m-0">Clear a target</h2>
      <button type="button" class="btn-close" aria-label="Close" (click)="modal.dismiss()"></button>
    </div>
    <div class="modal-body">
      <p class="mb-2">
        <b class="mono">{{ origin() }}</b> is not on this machine. What is recorded, rehearsed and run in “{{ environment() }}” may reach it
        once somebody allows it.
      </p>
      @if (found(); as target) {
        @if (target.addresses.length > 0) {
          <table class="grid mb-2" aria-label="Where it leads now">
            <thead>
              <tr>
                <th>It leads to</th>
                <th>which is on</th>
              </tr>
            </thead>
            <tbody>
              @for (address of target.addresses; track address.address) {
                <tr>
                  <td class="mono">{{ address.address }}</td>
                  <td>{{ reachWords[address.reach] }}</td>
                </tr>
              }
            </tbody>
          </table>
          <p class="muted small">
            Connections to any other address are refused, whatever the name leads to later. Where its address changes, clear it anew.
          </p>
        }
        @if (target.problem) {
          <p class="note bad" role="alert">{{ target.problem }}</p>
        } @else {
          <div class="two-columns">
            <label class="field">Allowed by<input name="by" [(ngModel)]="by" placeholder="Name of who says so" /></label>
            <label class="field"
              >Until the end of (UTC)<input name="until" type="date" [min]="today" [max]="last" [(ngModel)]="until"
            /></label>
            <label class="field all"
              >For what<input name="for" [(ngModel)]="purpose" placeholder="Load test of release 4.2, agreed with operations"
            /></label>
            <label class="field"
              >Requests a second, at most<input
                name="rate"
                type="number"
                min="0.1"
                step="any"
                [max]="target.most.requestsPerSecond ?? ''"
                [(ngModel)]="rate"
                [placeholder]="target.most.requestsPerSecond === null ? 'no ceiling' : 'up to ' + target.most.requestsPerSecond"
            /></label>
            <label class="field"
              >Virtual users, at most<input
                name="users"
                type="number"
                min="1"
                step="1"
                [max]="target.most.users ?? ''"
                [(ngModel)]="users"
                [placeholder]="target.most.users === null ? 'no ceiling' : 'up to ' + target.most.users"
            /></label>
            @if (target.isPublic) {
              <label class="field all"
                >It is on the public internet: type the name of its host, {{ host()
                }}<input name="host" class="mono" autocomplete="off" [(ngModel)]="typedHost"
              /></label>
            }
          </div>
        }
      } @else {
        <p class="muted">Looking up where it leads…</p>
      }
      @if (problem(); as sentence) {
        <p class="note bad mt-2 mb-0" role="alert">{{ sentence }}</p>
      }
    </div>
    <div class="modal-footer">
      <button type="button" class="act" (click)="modal.dismiss()">Cancel</button
      ><button class="act main" [whyNot]="obstacle()">Clear it</button>
    </div>
  </form>`,
  styles: `
    .all {
      grid-column: 1 / -1;
    }
  `,
})
export class ClearDialog {
  readonly #api = inject(Api);
  readonly modal = inject(NgbActiveModal);
  readonly reachWords = reachWords;
  readonly origin = signal('');
  /** Name of the environment. */
  readonly environment = signal('');
  readonly found = signal<LookedUpTarget | null>(null);
  readonly sending = signal(false);
  readonly problem = signal<string | null>(null);
  readonly host = computed(() => hostOf(this.origin()) ?? '');
  readonly obstacle = computed(() =>
    this.found() === null
      ? 'Where it leads is being looked up.'
      : this.found()?.problem != null
        ? 'It cannot be cleared.'
        : this.sending() && 'It is being cleared.',
  );
  readonly today = dayIn(0);
  readonly last = dayIn(longestClearanceDays - 1);
  by = inject(Person).name();
  purpose = '';
  until = dayIn(14);
  rate: number | null = null;
  users: number | null = null;
  typedHost = '';
  #environmentId = '';

  /** Begins with a target of an environment, and looks up where it leads. */
  show(environment: { id: string; name: string }, origin: string): void {
    this.#environmentId = environment.id;
    this.environment.set(environment.name);
    this.origin.set(origin);
    this.#api.lookUp(origin).subscribe({
      next: (target) => {
        const lowest = (value: number, most: number | null) => (most === null ? value : Math.min(value, most));
        this.rate = lowest(10, target.most.requestsPerSecond);
        this.users = lowest(5, target.most.users);
        this.found.set(target);
      },
      error: (error: unknown) => {
        this.problem.set(problemOf(error));
      },
    });
  }

  clear(): void {
    const written: Clearing = {
      origin: this.origin(),
      by: this.by,
      for: this.purpose,
      until: this.until,
      requestsPerSecond: ceiling(this.rate),
      users: ceiling(this.users),
      host: this.typedHost.trim(),
    };
    const checked = ClearingSchema.safeParse(written);
    if (!checked.success) {
      this.problem.set(checked.error.issues[0]?.message ?? 'It cannot be cleared so.');
      return;
    }
    this.sending.set(true);
    this.#api.clearTarget(this.#environmentId, checked.data).subscribe({
      next: (environment) => {
        this.modal.close(environment);
      },
      error: (error: unknown) => {
        this.sending.set(false);
        this.problem.set(problemOf(error));
      },
    });
  }
}
