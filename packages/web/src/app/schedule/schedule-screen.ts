import { ChangeDetectionStrategy, Component, computed, effect, inject, signal, type OnDestroy } from '@angular/core';
import { RouterLink } from '@angular/router';
import { NgbModal } from '@ng-bootstrap/ng-bootstrap/modal';
import { Store } from '@ngrx/store';
import {
  awayWords,
  clockNote,
  comingStarts,
  isReady,
  momentWords,
  repetitionWords,
  startId,
  wallMoment,
  type Blackout,
  type ComingStart,
  type GivenSchedule,
  type ReadinessPoint,
  type Schedule,
  type ScheduledStart,
} from '@sturdy/core';
import { DateTime } from 'luxon';
import { ConfirmDelete } from '../shared/confirm-delete';
import { VerdictShape } from '../shared/verdict-shape';
import { WhyNot } from '../shared/why-not';
import { noticeActions } from '../state/notice.actions';
import { noticeFeature } from '../state/notice.feature';
import { projectFeature } from '../state/project.feature';
import { scheduleActions } from '../state/schedule.actions';
import { scheduleFeature } from '../state/schedule.feature';
import { workloadsActions } from '../state/workloads.actions';
import { workloadsFeature } from '../state/workloads.feature';
import { BlackoutCard } from './blackout-card';
import { ScheduleCalendar } from './schedule-calendar';
import { ScheduleDialog } from './schedule-dialog';

/** Coming starts are listed for so long, and so many of them. */
const aheadMs = 62 * 86_400_000;
const mostComing = 8;
/** What happens by itself is asked for so often. */
const askAgainMs = 5000;

const stateShapes: Record<ScheduledStart['state'], string> = {
  waiting: 'none',
  beginning: 'drifted',
  began: 'drifted',
  ended: 'passed',
  missed: 'failed',
  'left out': 'failed',
  canceled: 'not-sent',
};
const pointShapes: Record<ReadinessPoint['state'], string> = { good: 'passed', bad: 'failed', unsure: 'drifted' };

/** Runs that begin by themselves: a calendar, what comes and what has come, and the times in which nothing may run. */
@Component({
  selector: 'app-schedule-screen',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [BlackoutCard, ConfirmDelete, RouterLink, ScheduleCalendar, VerdictShape, WhyNot],
  templateUrl: './schedule-screen.html',
  styleUrl: './schedule-screen.scss',
})
export class ScheduleScreen implements OnDestroy {
  readonly #store = inject(Store);
  readonly #modals = inject(NgbModal);
  readonly view = this.#store.selectSignal(scheduleFeature.selectView);
  readonly looking = this.#store.selectSignal(scheduleFeature.selectLooking);
  readonly environments = this.#store.selectSignal(projectFeature.selectEnvironments);
  readonly workloads = this.#store.selectSignal(workloadsFeature.selectList);
  readonly #settings = this.#store.selectSignal(noticeFeature.selectSettings);
  readonly groups = computed(() => this.#settings()?.groups ?? []);
  /** Whoever looks at the page sees days as their own clock has them. */
  readonly zone = Intl.DateTimeFormat().resolvedOptions().timeZone;
  /** How far the clock of the server is ahead of this browser's, in ms. */
  #aheadMs = 0;
  readonly nowMs = signal(Date.now());
  readonly #timer = setInterval(() => {
    this.#store.dispatch(scheduleActions.asked());
  }, askAgainMs);
  readonly stateShapes = stateShapes;
  readonly pointShapes = pointShapes;
  readonly momentWords = momentWords;
  readonly repetitionWords = repetitionWords;
  readonly clockNote = clockNote;
  readonly isReady = isReady;
  readonly coming = computed(() => {
    const view = this.view();
    return view ? comingStarts(view, this.nowMs(), this.nowMs() + aheadMs).slice(0, mostComing) : [];
  });
  readonly next = computed(() => this.coming().find(({ start }) => start.change?.to !== null) ?? null);
  readonly came = computed(() => (this.view()?.starts ?? []).filter(({ state }) => state !== 'waiting').slice(0, 20));
  /** The start that is being put off, by its id, and the moment that was chosen by the clock on the wall. */
  readonly puttingOff = signal<string | null>(null);

  constructor() {
    this.#store.dispatch(scheduleActions.asked());
    this.#store.dispatch(workloadsActions.listAsked());
    this.#store.dispatch(noticeActions.asked());
    effect(() => {
      const view = this.view();
      if (!view) return;
      this.#aheadMs = Date.parse(view.now) - Date.now();
      this.nowMs.set(Date.now() + this.#aheadMs);
    });
  }
  ngOnDestroy(): void {
    clearInterval(this.#timer);
  }

  asMs(iso: string): number {
    return Date.parse(iso);
  }
  away(ms: number): string {
    return awayWords(ms, this.nowMs());
  }
  idOf({ schedule, start }: ComingStart): string {
    return startId(schedule.id, start.planned);
  }
  isCanceled({ start }: ComingStart): boolean {
    return start.change?.to === null;
  }
  /** What was found of a coming start; null where nobody has looked yet. */
  foundOf(coming: ComingStart): ScheduledStart | null {
    return this.view()?.starts.find(({ id, readiness }) => id === this.idOf(coming) && readiness !== null) ?? null;
  }
  workloadName({ workloadId }: Schedule): string {
    return this.workloads().find(({ id }) => id === workloadId)?.name ?? 'a workload that was deleted';
  }
  environmentName({ environmentId, workloadId }: Schedule): string {
    const own = this.workloads().find(({ id }) => id === workloadId)?.environmentId ?? environmentId;
    return this.environments().find(({ id }) => id === own)?.name ?? 'the first environment';
  }
  groupNames({ notify }: Schedule): string {
    const names = this.groups()
      .filter(({ id }) => notify.includes(id))
      .map(({ name }) => name);
    return names.length === 0 ? 'nobody' : names.join(', ');
  }

  edit(schedule: Schedule | null, day?: string): void {
    const modal = this.#modals.open(ScheduleDialog, { size: 'lg' });
    const choices = { workloads: this.workloads(), environments: this.environments(), groups: this.groups(), nowMs: this.nowMs() };
    const tomorrow = DateTime.fromMillis(this.nowMs(), { zone: this.zone }).plus({ days: 1 }).toISODate() ?? '';
    (modal.componentInstance as ScheduleDialog).begin(choices, schedule, day ?? tomorrow, this.zone);
    modal.result.then(
      (given: GivenSchedule) => {
        this.#store.dispatch(scheduleActions.saveWanted({ id: schedule?.id ?? null, schedule: given }));
      },
      () => undefined,
    );
  }
  pause({ id, projectId: _projectId, changes: _changes, ...given }: Schedule): void {
    this.#store.dispatch(scheduleActions.saveWanted({ id, schedule: { ...given, isPaused: !given.isPaused } }));
  }
  remove({ id }: Schedule): void {
    this.#store.dispatch(scheduleActions.deleteWanted({ id }));
  }
  look({ id }: Schedule): void {
    this.#store.dispatch(scheduleActions.readinessWanted({ id }));
  }
  change({ schedule, start }: ComingStart, to: string): void {
    this.puttingOff.set(null);
    this.#store.dispatch(scheduleActions.changeOfStartWanted({ id: schedule.id, planned: start.planned, to }));
  }
  /** The clock on the wall of a schedule at a start, as a field for day and time takes it. */
  wallOf({ schedule, start }: ComingStart): string {
    return DateTime.fromMillis(start.ms, { zone: schedule.zone }).toFormat("yyyy-MM-dd'T'HH:mm");
  }
  putOff(coming: ComingStart, wall: string): void {
    const [day = '', time = ''] = wall.split('T');
    if (day !== '' && time !== '') this.change(coming, new Date(wallMoment(day, time.slice(0, 5), coming.schedule.zone).ms).toISOString());
  }
  setBlackouts(blackouts: readonly Blackout[]): void {
    this.#store.dispatch(scheduleActions.blackoutsChanged({ blackouts }));
  }
}
