import { randomUUID } from 'node:crypto';
import {
  plainTemplate,
  type ListedNotice,
  type Notice,
  type NoticeKind,
  type NoticeSettings,
  type RecipientGroup,
  type ReportDocument,
} from '@sturdy/core';
import type { Compute } from '../compute/tasks.js';
import { documentFormats } from '../documents/document-formats.js';
import type { ReportMaker } from '../explain/report-maker.js';
import type { Environments } from '../environments/environments.js';
import type { Clock } from '../clock/clock.js';
import type { Store } from '../store/store-client.js';
import { sendMail, type Attachment } from './send-mail.js';
import { sendWebhook } from './send-webhook.js';

/** How long after an attempt the next one is made, in ms; after the last one a notice is given up. */
const waits = [30_000, 2 * 60_000, 10 * 60_000, 30 * 60_000, 2 * 3600_000];

const why = (error: unknown): string => (error instanceof Error ? error.message : String(error));

/** Something that people are told. */
export interface Told {
  projectId: string;
  kind: NoticeKind;
  document: ReportDocument;
  /** Path of the page where people read on, within the project. */
  path: string;
  /** The run whose report goes with it. */
  runId?: string;
}

/** Tells people by mail and webhook. What is to be told is kept before it is sent, so nothing is lost where this server or theirs is away. */
export class Notices {
  /** One delivery after the other: a notice is never sent twice because two looked at once. */
  #last: Promise<unknown> = Promise.resolve();
  #stop: (() => void) | null = null;
  /** Where people reach this server, such as http://127.0.0.1:4300; empty while it is not known. */
  origin = '';

  constructor(
    readonly services: { store: Store; compute: Compute; environments: Pick<Environments, 'policies' | 'lookup'> },
    readonly reports: Pick<ReportMaker, 'documentOf'>,
    readonly clock: Clock,
    readonly warn: (text: string) => void = () => undefined,
  ) {}

  /** Sends what waits, from time to time. */
  start(): void {
    this.#stop ??= this.clock.every(5000, () => void this.deliver());
  }

  async close(): Promise<void> {
    this.#stop?.();
    this.#stop = null;
    await this.#last;
  }

  /** Tells the groups with these ids that want to hear of it. */
  async tell(groupIds: readonly string[], told: Told): Promise<void> {
    const { groups } = await this.services.store.noticeSettings(told.projectId);
    for (const group of groups) if (groupIds.includes(group.id) && group.wants.includes(told.kind)) await this.#keep(group, told);
    void this.deliver();
  }

  /** Tells one group at once, whatever it wants to hear of. Gives what came of it. */
  async try(group: RecipientGroup, told: Told): Promise<ListedNotice[]> {
    const kept = new Set((await this.#keep(group, told)).map(({ id }) => id));
    await this.deliver();
    return (await this.services.store.notices(told.projectId)).filter(({ id }) => kept.has(id));
  }

  async #keep(group: RecipientGroup, { projectId, kind, document, path, runId }: Told): Promise<Notice[]> {
    const at = new Date(this.clock.now()).toISOString();
    const ways: Notice['way'][] = [
      ...(group.addresses.length > 0 ? [{ kind: 'mail' as const, addresses: group.addresses }] : []),
      ...group.webhooks.map(({ id, url }) => ({ kind: 'webhook' as const, groupId: group.id, webhookId: id, url })),
    ];
    const notices = ways.map((way): Notice => ({
      id: randomUUID(),
      projectId,
      at,
      kind,
      group: group.name,
      way,
      document,
      link: this.origin === '' ? '' : `${this.origin}/projects/${projectId}${path}`,
      report: way.kind === 'mail' && runId !== undefined && group.report !== 'none' ? { runId, format: group.report } : null,
      state: 'waiting',
      attempts: [],
      nextAt: at,
    }));
    for (const notice of notices) await this.services.store.saveNotice(notice);
    return notices;
  }

  /** Tries all that is due. */
  deliver(): Promise<void> {
    const delivering = this.#last.then(async () => {
      try {
        for (const notice of await this.services.store.waitingNotices())
          if (notice.nextAt !== null && Date.parse(notice.nextAt) <= this.clock.now()) await this.#attempt(notice);
      } catch (error) {
        this.warn(`Notices could not be sent: ${why(error)}`);
      }
    });
    this.#last = delivering;
    return delivering;
  }

  async #attempt(notice: Notice): Promise<void> {
    const { store } = this.services;
    const at = new Date(this.clock.now()).toISOString();
    let problem: string | null = null;
    try {
      await this.#send(notice, await store.noticeSettings(notice.projectId));
    } catch (error) {
      problem = why(error);
    }
    const attempts = [...notice.attempts, { at, problem }];
    // Whoever tries waits for the answer, and nobody wants it hours later.
    const wait = notice.kind === 'trial' ? undefined : waits[attempts.length - 1];
    if (problem === null) await store.saveNotice({ ...notice, attempts, state: 'sent', nextAt: null });
    else if (wait === undefined) {
      await store.saveNotice({ ...notice, attempts, state: 'given up', nextAt: null });
      this.warn(`A notice to “${notice.group}” was given up after ${attempts.length} attempts: ${problem}`);
    } else await store.saveNotice({ ...notice, attempts, nextAt: new Date(this.clock.now() + wait).toISOString() });
  }

  async #send(notice: Notice, settings: NoticeSettings): Promise<void> {
    const { policies, lookup } = this.services.environments;
    const { way, document, link, id } = notice;
    if (way.kind === 'mail') {
      if (!settings.mail) throw new Error('No mail server is set. Name one on the page Notice.');
      const mail = { id, addresses: way.addresses, document, link, attachment: await this.#attachment(notice) };
      await sendMail(settings.mail, mail, policies, lookup);
      return;
    }
    const webhook = settings.groups.find((group) => group.id === way.groupId)?.webhooks.find((known) => known.id === way.webhookId);
    if (!webhook) throw new Error('The webhook was deleted, so what it is signed with is gone.');
    const { title, facts, blocks } = document;
    const text = blocks.flatMap((block) => (block.kind === 'text' ? [block.text] : block.kind === 'list' ? block.items : []));
    const body = JSON.stringify({
      type: `run.${notice.kind.replace(' ', '_')}`,
      timestamp: notice.at,
      data: { title, facts: Object.fromEntries(facts.map(({ name, value }) => [name, value])), text, link },
    });
    await sendWebhook(webhook, { id, body, atMs: this.clock.now() }, policies, lookup);
  }

  /** The report that goes with a notice. Where it cannot be made, people are told without it rather than not at all. */
  async #attachment({ report }: Notice): Promise<Attachment | null> {
    if (!report) return null;
    try {
      const document = await this.reports.documentOf(report.runId, { template: plainTemplate, against: [] }, 'Sturdy Puppet');
      const run = await this.services.store.run(report.runId);
      const bytes = await this.services.compute.writeDocument(document, report.format);
      return { name: `run-${run?.number ?? ''}-report.${report.format}`, type: documentFormats[report.format], bytes };
    } catch (error) {
      this.warn(`The report of run ${report.runId} could not go with a notice: ${why(error)}`);
      return null;
    }
  }
}
