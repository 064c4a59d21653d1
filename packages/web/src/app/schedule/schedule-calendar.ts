import { ChangeDetectionStrategy, Component, computed, inject, Injectable, input, output, signal, ViewEncapsulation } from '@angular/core';
import { NgbDatepicker, NgbDatepickerI18n, NgbDatepickerI18nDefault, type NgbDateStruct } from '@ng-bootstrap/ng-bootstrap/datepicker';
import { blackoutsBetween, comingStarts, type ScheduledStart, type ScheduleView } from '@sturdy/core';
import { DateTime } from 'luxon';

/** What a day of the calendar shows. */
interface DayEntry {
  time: string;
  name: string;
  state: 'coming' | 'clash' | 'canceled' | ScheduledStart['state'];
}

const stateWords: Record<DayEntry['state'], string> = {
  coming: 'comes',
  clash: 'comes, and something is in its way',
  canceled: 'canceled',
  waiting: 'comes',
  beginning: 'begins',
  began: 'goes on',
  ended: 'ran',
  missed: 'missed',
  'left out': 'left out',
};
/** So many entries have room in a day. */
const mostShown = 2;

const keyOf = ({ year, month, day }: NgbDateStruct): string => `${year}-${String(month).padStart(2, '0')}-${String(day).padStart(2, '0')}`;

/** What a screen reader says of a day: what it shows, then how that stands, then the day in full. */
@Injectable()
class DayWords extends NgbDatepickerI18nDefault {
  wordsOf: (date: NgbDateStruct) => string = () => '';

  override getDayAriaLabel(date: NgbDateStruct): string {
    return this.wordsOf(date);
  }
}

/** A month with the starts that come and those that came, and the times in which nothing may run. Days are those of `zone`. */
@Component({
  selector: 'app-schedule-calendar',
  changeDetection: ChangeDetectionStrategy.OnPush,
  // The days are parts of the date picker, which styles of a component would not reach.
  encapsulation: ViewEncapsulation.None,
  imports: [NgbDatepicker],
  providers: [DayWords, { provide: NgbDatepickerI18n, useExisting: DayWords }],
  template: `<ng-template #dayCell let-date let-currentMonth="currentMonth" let-focused="focused">
      <div
        class="cell"
        [class.other]="date.month !== currentMonth"
        [class.today]="keyOf(date) === today()"
        [class.focused]="focused"
        [class.closed]="closed().has(keyOf(date))"
        [title]="closed().get(keyOf(date)) ?? ''"
      >
        <b>{{ date.day }}</b>&ngsp;
        @for (entry of (entries().get(keyOf(date)) ?? []).slice(0, mostShown); track $index) {
          <span class="entry {{ entry.state.replace(' ', '-') }}" [title]="entry.time + ' ' + entry.name + ': ' + stateWords[entry.state]"
            >{{ entry.time }} {{ entry.name }}</span
          >&ngsp;
        }
        @if ((entries().get(keyOf(date))?.length ?? 0) > mostShown) {
          <span class="more">and {{ (entries().get(keyOf(date))?.length ?? 0) - mostShown }} more</span>
        }
      </div>
    </ng-template>
    <!-- The date picker asks for the words of a day once, so it begins anew where they are others. -->
    @for (words of [shownWords()]; track words) {
      <ngb-datepicker
        [dayTemplate]="dayCell"
        navigation="arrows"
        weekdays="short"
        outsideDays="visible"
        [startDate]="month() ?? start()"
        (navigate)="month.set($event.next)"
        (dateSelect)="chosen.emit(keyOf($event))"
      />
    }`,
  styles: `
    app-schedule-calendar ngb-datepicker {
      display: block;
      border: 0;
      background: none;

      .ngb-dp-header {
        background: none;
        padding: 6px 10px;
      }

      .ngb-dp-month-name {
        font-weight: 640;
        background: none;
        color: var(--ink);
      }

      .ngb-dp-months,
      .ngb-dp-month,
      .ngb-dp-weekdays,
      .ngb-dp-week {
        display: flex;
        width: 100%;
      }

      .ngb-dp-month {
        display: block;
      }

      .ngb-dp-weekdays {
        background: none;
        border-bottom: 1px solid var(--line-strong);
        border-radius: 0;
      }

      .ngb-dp-weekday,
      .ngb-dp-day {
        flex: 1;
        width: auto;
        height: auto;
        min-width: 0;
        color: var(--ink-2);
        font-style: normal;
      }

      .ngb-dp-weekday {
        line-height: 26px;
        text-align: left;
        padding-left: 7px;
      }

      .ngb-dp-day {
        border: 1px solid var(--line);
        border-width: 0 1px 1px 0;
      }

      .ngb-dp-week {
        padding: 0;
      }

      .ngb-dp-arrow-btn {
        color: var(--ink);
      }

      .form-select {
        color: var(--ink);
        background-color: var(--surface);
        border-color: var(--line-strong);
      }
    }

    app-schedule-calendar .cell {
      min-height: 68px;
      padding: 3px 5px 4px;
      text-align: left;
      font-size: 12px;
      line-height: 16px;
      color: var(--ink);
      overflow: hidden;

      &:hover,
      &.focused {
        background: var(--sunk);
      }

      &.other {
        color: var(--ink-2);
      }

      &.today b {
        color: var(--on-clay);
        background: var(--clay);
        border-radius: 9px;
        padding: 0 6px;
      }

      &.closed {
        background-image: repeating-linear-gradient(135deg, transparent 0 6px, var(--line) 6px 7px);
      }

      .entry {
        display: block;
        overflow: hidden;
        max-height: 34px;
        border-left: 3px solid var(--teal);
        background: var(--surface);
        padding-left: 4px;
        margin-top: 2px;
      }

      .ended {
        border-left-style: double;
      }

      .canceled {
        border-left: 3px dotted var(--ink-3);
        text-decoration: line-through;
        color: var(--ink-2);
      }

      .clash,
      .missed,
      .left-out {
        border-left: 3px dashed var(--red);
        color: var(--red);
      }

      .more {
        color: var(--ink-2);
      }
    }
  `,
})
export class ScheduleCalendar {
  readonly view = input.required<ScheduleView>();
  /** The zone whose days these are. */
  readonly zone = input.required<string>();
  /** What the clock shows, in ms since 1970. */
  readonly nowMs = input.required<number>();
  /** A day that somebody has chosen, as 2026-12-01. */
  readonly chosen = output<string>();
  readonly keyOf = keyOf;
  readonly stateWords = stateWords;
  readonly mostShown = mostShown;
  readonly today = computed(() => this.#day(this.nowMs()));
  readonly start = computed(() => {
    const { year, month } = DateTime.fromISO(this.today());
    return { year, month };
  });
  /** The month that is shown; null for that of today. */
  readonly month = signal<{ year: number; month: number } | null>(null);
  readonly #span = computed(() => {
    const { year, month } = this.month() ?? this.start();
    const first = DateTime.fromObject({ year, month, day: 1 }, { zone: this.zone() });
    return { fromMs: first.minus({ days: 7 }).toMillis(), toMs: first.plus({ months: 1, days: 7 }).toMillis() };
  });
  readonly entries = computed(() => {
    const days = new Map<string, (DayEntry & { ms: number })[]>();
    const put = (ms: number, entry: Omit<DayEntry, 'time'>) => {
      const key = this.#day(ms);
      days.set(key, [...(days.get(key) ?? []), { ...entry, ms, time: DateTime.fromMillis(ms, { zone: this.zone() }).toFormat('HH:mm') }]);
    };
    const { fromMs, toMs } = this.#span();
    for (const { at, state, schedule } of this.view().starts)
      if (Date.parse(at) <= this.nowMs() && state !== 'waiting') put(Date.parse(at), { name: schedule, state });
    for (const { start, schedule, clashes } of comingStarts(this.view(), Math.max(fromMs, this.nowMs()), toMs))
      put(start.ms, { name: schedule.name, state: start.change?.to === null ? 'canceled' : clashes.length > 0 ? 'clash' : 'coming' });
    return new Map([...days].map(([key, entries]) => [key, entries.sort((left, right) => left.ms - right.ms)]));
  });
  /** Days of which nothing may run for a time, each with the reason. */
  readonly closed = computed(() => {
    const { fromMs, toMs } = this.#span();
    const days = new Map<string, string>();
    for (const { blackout, fromMs: beginMs, untilMs } of blackoutsBetween(this.view().blackouts, null, fromMs, toMs))
      for (let ms = Math.max(beginMs, fromMs); ms < Math.min(untilMs, toMs); ms += 3_600_000) days.set(this.#day(ms), blackout.why);
    return days;
  });

  readonly shownWords = computed(() => JSON.stringify([[...this.entries()], [...this.closed()]]));

  constructor() {
    inject(DayWords).wordsOf = (date) => this.#wordsOf(date);
  }

  #wordsOf(date: NgbDateStruct): string {
    const entries = this.entries().get(keyOf(date)) ?? [];
    const shown = entries.slice(0, mostShown).map(({ time, name }) => `${time} ${name}`);
    const more = entries.length > mostShown ? [`and ${entries.length - mostShown} more`] : [];
    const why = this.closed().get(keyOf(date));
    return [
      [date.day, ...shown, ...more].join(' '),
      ...entries.map(({ time, state }) => `${time} ${stateWords[state]}`),
      ...(why === undefined ? [] : [`nothing may run for a time: ${why}`]),
      DateTime.fromISO(keyOf(date)).setLocale('en-GB').toFormat('cccc, d LLLL yyyy'),
    ].join(', ');
  }
  #day(ms: number): string {
    return DateTime.fromMillis(ms, { zone: this.zone() }).toISODate() ?? '';
  }
}
