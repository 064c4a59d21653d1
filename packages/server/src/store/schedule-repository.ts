import {
  changeNoticeSecrets,
  NoticeSchema,
  NoticeSettingsSchema,
  ScheduledStartSchema,
  ScheduleSchema,
  type ListedNotice,
  type Notice,
  type NoticeSettings,
  type Schedule,
  type ScheduledStart,
} from '@sturdy/core';
import { and, asc, desc, eq, sql } from 'drizzle-orm';
import type { DamageList } from './damage-list.js';
import type { Database } from './repository.js';
import type { SecretBox } from './secret-box.js';
import { noticeSettings, notices, projects, scheduledStarts, schedules } from './tables.js';

/** A schedule with the moment up to which its starts were begun or missed, in ms since 1970. */
export interface KeptSchedule {
  schedule: Schedule;
  consideredUntilMs: number;
}

/** Notices of a project that are kept; older ones that are no longer on their way are dropped. */
const keptNotices = 500;

/** Schedules, what became of their starts, and notices. Lives in the store's worker thread, as `Repository` does. */
export class ScheduleRepository {
  constructor(
    readonly database: Database,
    readonly damage: DamageList,
    readonly secrets: SecretBox,
  ) {}

  async schedules(projectId: string): Promise<Schedule[]> {
    const rows = await this.database.select().from(schedules).where(eq(schedules.projectId, projectId)).orderBy(asc(schedules.id));
    return this.damage.all('schedule', rows, (row) => row.id, ScheduleSchema);
  }

  /** The schedules of all projects that are in use. */
  async activeSchedules(): Promise<KeptSchedule[]> {
    const rows = await this.database
      .select({ id: schedules.id, doc: schedules.doc, consideredUntil: schedules.consideredUntil })
      .from(schedules)
      .innerJoin(projects, eq(projects.id, schedules.projectId))
      .where(eq(projects.state, 'active'));
    return rows.flatMap(({ id, doc, consideredUntil }) => {
      const schedule = this.damage.read('schedule', id, ScheduleSchema, doc);
      return schedule ? [{ schedule, consideredUntilMs: Date.parse(consideredUntil) }] : [];
    });
  }

  /** Adds a schedule, or gives one other times. What was due before `consideredUntil` (ISO 8601) is neither begun nor called missed. */
  async saveSchedule(doc: Schedule, consideredUntil: string): Promise<void> {
    await this.database
      .insert(schedules)
      .values({ id: doc.id, projectId: doc.projectId, consideredUntil, doc })
      .onConflictDoUpdate({ target: schedules.id, set: { doc, consideredUntil } });
  }

  /** Saves what was changed of single starts; how far the schedule was looked at stays, so that none that is due just then is lost. */
  async saveStartChanges(doc: Schedule): Promise<void> {
    await this.database.update(schedules).set({ doc }).where(eq(schedules.id, doc.id));
  }

  /** Passes over what was due in a project up to a moment (ISO 8601), as after it was put aside. */
  async saveProjectConsidered(projectId: string, consideredUntil: string): Promise<void> {
    await this.database.update(schedules).set({ consideredUntil }).where(eq(schedules.projectId, projectId));
  }

  async saveConsidered(scheduleId: string, consideredUntil: string): Promise<void> {
    await this.database.update(schedules).set({ consideredUntil }).where(eq(schedules.id, scheduleId));
  }

  async deleteSchedule(id: string): Promise<void> {
    await this.database.delete(schedules).where(eq(schedules.id, id));
  }

  /** The newest starts of a project. */
  async scheduledStarts(projectId: string, most = 100): Promise<ScheduledStart[]> {
    const rows = await this.database
      .select()
      .from(scheduledStarts)
      .where(eq(scheduledStarts.projectId, projectId))
      .orderBy(desc(scheduledStarts.at))
      .limit(most);
    return this.damage.all('start', rows, (row) => row.id, ScheduledStartSchema);
  }

  async scheduledStart(id: string): Promise<ScheduledStart | null> {
    const [row] = await this.database.select().from(scheduledStarts).where(eq(scheduledStarts.id, id));
    return row ? this.damage.read('start', id, ScheduledStartSchema, row.doc) : null;
  }

  /** Starts that are not over: they are about to begin, or their run goes on. */
  async openStarts(): Promise<ScheduledStart[]> {
    const rows = await this.database
      .select()
      .from(scheduledStarts)
      .where(sql`${scheduledStarts.doc}->>'state' in ('beginning', 'began')`);
    return this.damage.all('start', rows, (row) => row.id, ScheduledStartSchema);
  }

  async saveScheduledStart(doc: ScheduledStart): Promise<void> {
    const { id, projectId, at } = doc;
    await this.database
      .insert(scheduledStarts)
      .values({ id, projectId, at, doc })
      .onConflictDoUpdate({ target: scheduledStarts.id, set: { at, doc } });
  }

  /** Who is told, with secrets opened. */
  async noticeSettings(projectId: string): Promise<NoticeSettings> {
    const [row] = await this.database.select().from(noticeSettings).where(eq(noticeSettings.projectId, projectId));
    const opened = row && changeNoticeSecrets(row.doc, (secret) => this.secrets.open(secret, projectId));
    return NoticeSettingsSchema.parse(opened ?? {});
  }

  async saveNoticeSettings(projectId: string, settings: NoticeSettings): Promise<void> {
    const doc = changeNoticeSecrets(settings, (secret) => this.secrets.seal(secret, projectId));
    await this.database
      .insert(noticeSettings)
      .values({ projectId, doc })
      .onConflictDoUpdate({ target: noticeSettings.projectId, set: { doc } });
  }

  /** The newest notices of a project. */
  async notices(projectId: string, most = 100): Promise<ListedNotice[]> {
    const rows = await this.database.select().from(notices).where(eq(notices.projectId, projectId)).orderBy(desc(notices.at)).limit(most);
    return this.damage
      .all('notice', rows, (row) => row.id, NoticeSchema)
      .map(({ document, report: _report, ...notice }) => ({ ...notice, title: document.title }));
  }

  /** Notices of all projects that have not arrived and are not given up. */
  async waitingNotices(): Promise<Notice[]> {
    const rows = await this.database.select().from(notices).where(eq(notices.state, 'waiting')).orderBy(asc(notices.at));
    return this.damage.all('notice', rows, (row) => row.id, NoticeSchema);
  }

  async saveNotice(doc: Notice): Promise<void> {
    const { id, projectId, state, at } = doc;
    await this.database
      .insert(notices)
      .values({ id, projectId, state, at, doc })
      .onConflictDoUpdate({ target: notices.id, set: { state, doc } });
    const old = this.database
      .select({ id: notices.id })
      .from(notices)
      .where(eq(notices.projectId, projectId))
      .orderBy(desc(notices.at))
      .offset(keptNotices);
    await this.database
      .delete(notices)
      .where(and(eq(notices.projectId, projectId), sql`${notices.state} <> 'waiting'`, sql`${notices.id} in ${old}`));
  }
}
