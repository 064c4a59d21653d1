import { ChangeDetectionStrategy, Component, computed, input, output } from '@angular/core';
import type { Run } from '@sturdy/core';
import { NumberField } from '../shared/number-field';

/** What can be changed while a run is live: users of its crews, and notes on its time axis. */
@Component({
  selector: 'app-steer-card',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [NumberField],
  template: `@if (run().workload.curve.kind !== 'arrivals') {
      <h2>Users of the crews</h2>
      <div class="fields">
        @for (crew of crews(); track crew.id) {
          <app-number-field
            [label]="crew.name"
            [value]="crew.users"
            [min]="0"
            [max]="20000"
            [step]="1"
            hint="More users start at once; surplus users leave after their current iteration"
            (changed)="users.emit({ crew: crew.id, users: $event })"
          />
        }
      </div>
    }
    <h2>Note</h2>
    <form class="d-flex gap-2" (submit)="write($event, text)">
      <label class="field flex-fill"
        ><span class="visually-hidden">Note on the time axis</span>
        <input #text maxlength="200" placeholder="What just happened, such as: cache emptied"
      /></label>
      <button class="act" type="submit">Put it</button>
    </form>`,
})
export class SteerCard {
  readonly run = input.required<Run>();
  readonly users = output<{ crew: string; users: number }>();
  readonly note = output<string>();
  /** Crews with the users that they have after all changes so far. */
  readonly crews = computed(() => {
    const { workload, events = [] } = this.run();
    return workload.crews.map(({ id, name, users }) => ({
      id,
      name,
      users: events.findLast((event) => event.crew === id)?.users ?? users,
    }));
  });

  write(event: Event, field: HTMLInputElement): void {
    event.preventDefault();
    if (field.value.trim() === '') return;
    this.note.emit(field.value.trim());
    field.value = '';
  }
}
