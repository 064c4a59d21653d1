import { ChangeDetectionStrategy, Component, computed, input, output, signal } from '@angular/core';
import { BlackoutSchema, momentWords, wallMoment, weekdayNames, type Blackout, type Environment } from '@sturdy/core';
import { ConfirmDelete } from '../shared/confirm-delete';
import { nextId } from '../shared/next-id';
import { WhyNot } from '../shared/why-not';

/** Times in which nothing may run, whoever starts it. */
@Component({
  selector: 'app-blackout-card',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [ConfirmDelete, WhyNot],
  template: `<div class="head">
      <h2 class="m-0">Times in which nothing may run</h2>
      <span class="grow"></span>
      @if (!adding()) {
        <button class="act slim" (click)="adding.set(true)"><i class="bi bi-plus-lg" aria-hidden="true"></i>Add a time</button>
      }
    </div>
    @if (adding()) {
      <form class="card-box pad fields mb-2" (submit)="$event.preventDefault(); add()">
        <label class="field grow"
          >Why<input [value]="why()" #reason (input)="why.set(reason.value)" placeholder="Month-end closing"
        /></label>
        <label class="field"
          >Where<select #place (change)="environmentId.set(place.value)">
            <option value="">every environment</option>
            @for (environment of environments(); track environment.id) {
              <option [value]="environment.id">{{ environment.name }}</option>
            }
          </select></label
        >
        <label class="field"
          >How often<select #often (change)="isWeekly.set(often.value === 'weekly')">
            <option value="once">once</option>
            <option value="weekly">each week</option>
          </select></label
        >
        @if (isWeekly()) {
          <span class="field"
            >On<span class="days">
              @for (name of weekdayNames; track name; let at = $index) {
                <label
                  ><input type="checkbox" [checked]="days().includes(at + 1)" [attr.aria-label]="name" (change)="toggle(at + 1)" />{{
                    name.slice(0, 2)
                  }}</label
                >
              }
            </span></span
          >
          <label class="field">From<input type="time" [value]="fromTime()" #from (change)="fromTime.set(from.value)" /></label>
          <label class="field">Until<input type="time" [value]="untilTime()" #until (change)="untilTime.set(until.value)" /></label>
        } @else {
          <label class="field">From<input type="datetime-local" [value]="from()" #begin (change)="from.set(begin.value)" /></label>
          <label class="field">Until<input type="datetime-local" [value]="until()" #end (change)="until.set(end.value)" /></label>
        }
        <button class="act main" [whyNot]="problem()">Add it</button>
        <button type="button" class="act" (click)="adding.set(false)">Leave it</button>
        <p class="muted small all mb-0">By the clock in {{ zone() }}. No run begins then, and none is begun that would go on into it.</p>
      </form>
    }
    @if (rows().length > 0) {
      <div class="card-box">
        @for (row of rows(); track row.blackout.id) {
          <div class="entry">
            <span class="grow"
              ><b class="me-2">{{ row.blackout.why }}</b
              ><span class="muted small">{{ row.words }}</span></span
            >
            <app-confirm-delete [name]="row.blackout.why" question="Runs may begin then" (confirmed)="remove(row.blackout)" />
          </div>
        }
      </div>
    } @else if (!adding()) {
      <p class="muted small">None. Add nights of backups, closings of the month, or whatever must not be disturbed.</p>
    }`,
  styles: `
    .head {
      display: flex;
      align-items: center;
      margin: 18px 0 8px;
    }

    .entry {
      display: flex;
      align-items: center;
      gap: 8px;
      padding: 7px 14px;
    }

    .entry + .entry {
      border-top: 1px solid var(--line);
    }

    .days {
      display: flex;
      gap: 8px;
      height: 32px;
      align-items: center;
    }

    .days label {
      display: inline-flex;
      gap: 4px;
      align-items: center;
    }

    .days input {
      height: auto;
    }
  `,
})
export class BlackoutCard {
  readonly blackouts = input.required<readonly Blackout[]>();
  readonly environments = input.required<readonly Environment[]>();
  /** By whose clock new ones are written. */
  readonly zone = input.required<string>();
  readonly changed = output<readonly Blackout[]>();
  readonly weekdayNames = weekdayNames;
  readonly adding = signal(false);
  readonly why = signal('');
  readonly environmentId = signal('');
  readonly isWeekly = signal(false);
  readonly days = signal<number[]>([6, 7]);
  readonly from = signal('');
  readonly until = signal('');
  readonly fromTime = signal('22:00');
  readonly untilTime = signal('04:00');
  readonly #parsed = computed(() =>
    BlackoutSchema.safeParse({
      id: nextId('b', this.blackouts()),
      why: this.why(),
      zone: this.zone(),
      environmentId: this.environmentId() === '' ? null : this.environmentId(),
      when: this.isWeekly()
        ? { kind: 'weekly', days: this.days(), from: this.fromTime(), until: this.untilTime() }
        : { kind: 'once', from: this.from(), until: this.until() },
    }),
  );
  readonly problem = computed(
    () =>
      this.#parsed()
        .error?.issues.map(({ message }) => message)
        .join(' ') ?? null,
  );
  readonly rows = computed(() =>
    this.blackouts().map((blackout) => {
      const place = this.environments().find(({ id }) => id === blackout.environmentId)?.name;
      return { blackout, words: `${timeWords(blackout)}${place === undefined ? '' : `, in ${place} alone`}` };
    }),
  );

  toggle(day: number): void {
    this.days.update((days) => (days.includes(day) ? days.filter((other) => other !== day) : [...days, day].sort()));
  }
  add(): void {
    const { data } = this.#parsed();
    if (!data) return;
    this.changed.emit([...this.blackouts(), data]);
    this.adding.set(false);
    this.why.set('');
  }
  remove({ id }: Blackout): void {
    this.changed.emit(this.blackouts().filter((blackout) => blackout.id !== id));
  }
}

function timeWords({ when, zone }: Blackout): string {
  if (when.kind === 'weekly') {
    const days = when.days.map((day) => weekdayNames[day - 1]).join(', ');
    return `each ${days} from ${when.from} until ${when.until}${when.until <= when.from ? ' of the next day' : ''} (${zone})`;
  }
  const words = (moment: string) => {
    const [day = '', time = ''] = moment.split('T');
    return momentWords(wallMoment(day, time, zone).ms, zone);
  };
  return `from ${words(when.from)} until ${words(when.until)}`;
}
