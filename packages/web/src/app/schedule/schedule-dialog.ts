import { ChangeDetectionStrategy, Component, computed, inject, signal } from '@angular/core';
import { NgbActiveModal } from '@ng-bootstrap/ng-bootstrap/modal';
import {
  clockNote,
  momentWords,
  RepetitionSchema,
  ScheduleSchema,
  startsBetween,
  weekdayNames,
  whichNames,
  type Environment,
  type GivenSchedule,
  type RecipientGroup,
  type Schedule,
  type Workload,
} from '@sturdy/core';
import { NumberField } from '../shared/number-field';
import { WhyNot } from '../shared/why-not';

/** What the dialog chooses from. */
export interface ScheduleChoices {
  workloads: readonly Workload[];
  environments: readonly Environment[];
  groups: readonly RecipientGroup[];
  /** What the clock shows, in ms since 1970. */
  nowMs: number;
}

/** So many starts are shown while they are being chosen. */
const shownStarts = 5;
const yearsMs = 3 * 366 * 86_400_000;

/** When runs of a workload begin by themselves, and what happens before each. */
@Component({
  selector: 'app-schedule-dialog',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [NumberField, WhyNot],
  template: `<form class="form-contents" (submit)="$event.preventDefault(); save()">
    <div class="modal-header">
      <h2 class="m-0">{{ isNew() ? 'New schedule' : 'Change the schedule' }}</h2>
      <button type="button" class="btn-close" aria-label="Close" (click)="modal.dismiss()"></button>
    </div>
    <div class="modal-body">
      <div class="fields mb-3">
        <label class="field grow">Name<input [value]="given().name" #own (input)="set({ name: own.value })" /></label>
        <label class="field grow"
          >Workload<select #load (change)="set({ workloadId: load.value })">
            @for (workload of choices().workloads; track workload.id) {
              <option [value]="workload.id" [selected]="workload.id === given().workloadId">{{ workload.name }}</option>
            }
          </select></label
        >
        <label class="field grow"
          >Environment<select
            #place
            (change)="set({ environmentId: place.value })"
            [disabled]="ownEnvironment() !== null"
            [title]="ownEnvironment() === null ? '' : 'The workload names its environment itself.'"
          >
            @for (environment of choices().environments; track environment.id) {
              <option [value]="environment.id" [selected]="environment.id === (ownEnvironment() ?? given().environmentId)">
                {{ environment.name }}
              </option>
            }
          </select></label
        >
      </div>
      <div class="fields mb-2" role="radiogroup" aria-label="How often">
        @for (kind of kinds; track kind.kind) {
          <label class="choice"
            ><input type="radio" name="kind" [checked]="given().repetition.kind === kind.kind" (change)="repeat(kind.kind)" />{{
              kind.name
            }}</label
          >
        }
      </div>
      <div class="fields mb-2">
        @switch (given().repetition.kind) {
          @case ('once') {
            <label class="field">Day<input type="date" [value]="day()" #date (change)="day.set(date.value); rebuild()" /></label>
          }
          @case ('weekly') {
            <fieldset class="days">
              <legend class="small muted">On</legend>
              @for (name of weekdays; track name; let at = $index) {
                <label class="choice"
                  ><input type="checkbox" [checked]="days().includes(at + 1)" [attr.aria-label]="name" (change)="toggle(at + 1)" />{{
                    name.slice(0, 2)
                  }}</label
                >
              }
            </fieldset>
          }
          @case ('monthly') {
            <label class="field"
              >On the<select #order (change)="order.value && nth.set(+order.value); rebuild()">
                @for (name of which; track name; let at = $index) {
                  <option [value]="at + 1" [selected]="at + 1 === nth()">{{ name }}</option>
                }
              </select></label
            >
            <label class="field"
              >day of the week<select #weekday (change)="days.set([+weekday.value]); rebuild()">
                @for (name of weekdays; track name; let at = $index) {
                  <option [value]="at + 1" [selected]="at + 1 === days()[0]">{{ name }}</option>
                }
              </select></label
            >
          }
        }
        <label class="field">At<input type="time" [value]="time()" #clock (change)="time.set(clock.value); rebuild()" /></label>
        <label class="field grow"
          >Time zone<input [value]="given().zone" #zone list="zones" (change)="set({ zone: zone.value.trim() })" autocomplete="off"
        /></label>
        @if (given().repetition.kind !== 'once') {
          <label class="field">From<input type="date" [value]="from()" #first (change)="from.set(first.value); rebuild()" /></label>
          <label class="field">Until<input type="date" [value]="until()" #last (change)="until.set(last.value); rebuild()" /></label>
        }
        <datalist id="zones">
          @for (name of zones; track name) {
            <option [value]="name"></option>
          }
        </datalist>
      </div>
      <div class="note mb-3" aria-live="polite">
        @if (problem(); as sentence) {
          {{ sentence }}
        } @else {
          <b>It begins</b>
          <ul class="mb-0">
            @for (start of coming(); track start.words) {
              <li>
                {{ start.words }}
                @if (start.note) {
                  <br /><span class="small">{{ start.note }}</span>
                }
              </li>
            }
          </ul>
        }
      </div>
      <div class="fields mb-2">
        <app-number-field
          label="Looked at before, min"
          [value]="given().readinessMinutes"
          [min]="1"
          [max]="240"
          [step]="1"
          hint="So long before each start it is looked whether targets answer, scripts pass, and rows, memory and disk suffice."
          (changed)="set({ readinessMinutes: $event })"
        />
        <label class="field grow"
          >Where something was found that will fail<select
            #unready
            (change)="set({ whenNotReady: unready.value === 'begin' ? 'begin' : 'leave out' })"
          >
            <option value="leave out" [selected]="given().whenNotReady === 'leave out'">leave the run out, and tell it</option>
            <option value="begin" [selected]="given().whenNotReady === 'begin'">begin nevertheless, and tell it</option>
          </select></label
        >
      </div>
      <p class="muted small mb-2">
        Before each start the scripts are rehearsed once: that makes records in the application, and spends rows that are used once.
      </p>
      @if (choices().groups.length > 0) {
        <fieldset>
          <legend class="small muted">Who is told</legend>
          @for (group of choices().groups; track group.id) {
            <label class="choice"
              ><input type="checkbox" [checked]="given().notify.includes(group.id)" (change)="tell(group.id)" />{{ group.name }}</label
            >
          }
        </fieldset>
      } @else {
        <p class="muted small mb-0">Nobody is told yet. Name recipients on the page <b>Notice</b>, then choose them here.</p>
      }
    </div>
    <div class="modal-footer">
      <button type="button" class="act" (click)="modal.dismiss()">Cancel</button>
      <button class="act main" [whyNot]="problem()">{{ isNew() ? 'Schedule it' : 'Save' }}</button>
    </div>
  </form>`,
  styles: `
    .choice {
      display: inline-flex;
      gap: 6px;
      align-items: center;
      margin-right: 12px;
      min-height: 24px;
    }

    fieldset legend {
      margin-bottom: 2px;
    }

    ul {
      padding-left: 18px;
    }
  `,
})
export class ScheduleDialog {
  readonly modal = inject(NgbActiveModal);
  readonly kinds = [
    { kind: 'once', name: 'Once' },
    { kind: 'weekly', name: 'On days of the week' },
    { kind: 'monthly', name: 'On one day of each month' },
  ] as const;
  readonly weekdays = weekdayNames;
  readonly which = whichNames;
  readonly zones = Intl.supportedValuesOf('timeZone');
  readonly choices = signal<ScheduleChoices>({ workloads: [], environments: [], groups: [], nowMs: 0 });
  readonly isNew = signal(true);
  readonly given = signal<GivenSchedule>({
    name: '',
    workloadId: '',
    environmentId: null,
    zone: 'UTC',
    repetition: { kind: 'once', day: '', time: '' },
    readinessMinutes: 20,
    whenNotReady: 'leave out',
    notify: [],
    isPaused: false,
  });
  readonly day = signal('');
  readonly time = signal('02:30');
  readonly days = signal<number[]>([1, 2, 3, 4, 5]);
  readonly nth = signal(1);
  readonly from = signal('');
  readonly until = signal('');
  readonly ownEnvironment = computed(
    () => this.choices().workloads.find(({ id }) => id === this.given().workloadId)?.environmentId ?? null,
  );
  readonly #parsed = computed(() => ScheduleSchema.safeParse({ ...this.given(), id: 'new', projectId: 'p', changes: [] }));
  readonly coming = computed(() => {
    const { data, error } = this.#parsed();
    const { nowMs } = this.choices();
    return error
      ? []
      : startsBetween(data, nowMs, nowMs + yearsMs, shownStarts).map((start) => ({
          words: momentWords(start.ms, data.zone),
          note: clockNote(start),
        }));
  });
  readonly problem = computed(() => {
    const { error } = this.#parsed();
    if (error) return error.issues.map(({ message }) => message).join(' ');
    return this.coming().length === 0 ? 'No start lies ahead. Choose a day or a time that is still to come.' : null;
  });

  /** Begins with a schedule that is there, or with a new one on a day (2026-12-01). */
  begin(choices: ScheduleChoices, schedule: Schedule | null, day: string, zone: string): void {
    this.choices.set(choices);
    this.isNew.set(schedule === null);
    this.day.set(day);
    this.from.set(day);
    if (schedule) {
      const { id: _id, projectId: _projectId, changes: _changes, ...given } = schedule;
      const { repetition } = given;
      this.time.set(repetition.time);
      if (repetition.kind === 'once') this.day.set(repetition.day);
      else {
        this.from.set(repetition.from);
        this.until.set(repetition.until ?? '');
        this.days.set(repetition.kind === 'weekly' ? repetition.days : [repetition.day]);
        if (repetition.kind === 'monthly') this.nth.set(repetition.which);
      }
      this.given.set(given);
      return;
    }
    const [workload] = choices.workloads;
    this.set({
      name: workload ? `${workload.name}, by itself` : '',
      workloadId: workload?.id ?? '',
      environmentId: choices.environments[0]?.id ?? null,
      zone,
      notify: choices.groups.map(({ id }) => id),
    });
    this.repeat('once');
  }

  set(change: Partial<GivenSchedule>): void {
    this.given.update((given) => ({ ...given, ...change }));
  }
  repeat(kind: Schedule['repetition']['kind']): void {
    const [time, from, until] = [this.time(), this.from(), this.until() === '' ? null : this.until()];
    const repetition =
      kind === 'once'
        ? { kind, day: this.day(), time }
        : kind === 'weekly'
          ? { kind, days: this.days(), time, from, until }
          : { kind, which: this.nth(), day: this.days()[0] ?? 1, time, from, until };
    this.set({ repetition });
  }
  rebuild(): void {
    this.repeat(this.given().repetition.kind);
  }
  toggle(day: number): void {
    this.days.update((days) => (days.includes(day) ? days.filter((other) => other !== day) : [...days, day].sort()));
    this.rebuild();
  }
  tell(id: string): void {
    const { notify } = this.given();
    this.set({ notify: notify.includes(id) ? notify.filter((other) => other !== id) : [...notify, id] });
  }
  save(): void {
    if (this.problem() === null && RepetitionSchema.safeParse(this.given().repetition).success) this.modal.close(this.given());
  }
}
