import { ChangeDetectionStrategy, Component, computed, effect, inject, signal } from '@angular/core';
import { RouterLink } from '@angular/router';
import { Store } from '@ngrx/store';
import {
  NoticeSettingsSchema,
  noticeKinds,
  noticeNames,
  type ListedNotice,
  type MailServer,
  type NoticeKind,
  type NoticeSettings,
  type RecipientGroup,
  type Webhook,
} from '@sturdy/core';
import { ConfirmDelete } from '../shared/confirm-delete';
import { moment } from '../shared/format';
import { nextId } from '../shared/next-id';
import { NumberField } from '../shared/number-field';
import { VerdictShape } from '../shared/verdict-shape';
import { WhyNot } from '../shared/why-not';
import { noticeActions } from '../state/notice.actions';
import { noticeFeature } from '../state/notice.feature';

const emptyMail: MailServer = { host: '', port: 587, security: 'starttls', user: '', password: '', from: '' };
/** The usual port of each way to secure mail: RFC 6409 (587), RFC 8314 (465); 25 is RFC 5321. */
const usualPorts: Record<MailServer['security'], number> = { none: 25, starttls: 587, tls: 465 };
const stateShapes: Record<ListedNotice['state'], string> = { sent: 'passed', waiting: 'drifted', 'given up': 'failed' };

/** Who is told of what, by mail and webhook; how mail is sent; and what became of each notice. */
@Component({
  selector: 'app-notice-screen',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [ConfirmDelete, NumberField, RouterLink, VerdictShape, WhyNot],
  templateUrl: './notice-screen.html',
  styleUrl: './notice-screen.scss',
})
export class NoticeScreen {
  readonly #store = inject(Store);
  readonly kept = this.#store.selectSignal(noticeFeature.selectSettings);
  readonly list = this.#store.selectSignal(noticeFeature.selectList);
  readonly saving = this.#store.selectSignal(noticeFeature.selectSaving);
  readonly trying = this.#store.selectSignal(noticeFeature.selectTrying);
  readonly tried = this.#store.selectSignal(noticeFeature.selectTried);
  /** As it is written here; null where nothing was changed since it was saved. */
  readonly #draft = signal<NoticeSettings | null>(null);
  readonly settings = computed(() => this.#draft() ?? this.kept());
  readonly problem = computed(() => {
    const { error } = NoticeSettingsSchema.safeParse(this.settings());
    return error ? error.issues.map(({ message }) => message).join(' ') : null;
  });
  readonly isChanged = computed(() => this.#draft() !== null);
  readonly noticeKinds = noticeKinds.filter((kind) => kind !== 'trial');
  readonly noticeNames = noticeNames;
  readonly stateShapes = stateShapes;
  readonly moment = moment;

  constructor() {
    this.#store.dispatch(noticeActions.asked());
    // What was saved is what is shown from then on.
    effect(() => {
      if (this.kept()) this.#draft.set(null);
    });
  }

  #set(change: Partial<NoticeSettings>): void {
    const settings = this.settings();
    if (settings) this.#draft.set({ ...settings, ...change });
  }
  setMail(change: Partial<MailServer>): void {
    const mail = this.settings()?.mail ?? emptyMail;
    this.#set({ mail: { ...mail, ...change, ...(change.security ? { port: usualPorts[change.security] } : {}) } });
  }
  beginMail(): void {
    this.setMail({});
  }
  dropMail(): void {
    this.#set({ mail: null });
  }
  #setGroup(id: string, change: (group: RecipientGroup) => RecipientGroup): void {
    this.#set({ groups: (this.settings()?.groups ?? []).map((group) => (group.id === id ? change(group) : group)) });
  }
  addGroup(): void {
    const groups = this.settings()?.groups ?? [];
    const group: RecipientGroup = {
      id: nextId('g', groups),
      name: 'Who wants to know',
      addresses: [],
      webhooks: [],
      wants: ['not ready', 'missed', 'left out', 'verdict'],
      report: 'pdf',
    };
    this.#set({ groups: [...groups, group] });
  }
  removeGroup(id: string): void {
    this.#set({ groups: (this.settings()?.groups ?? []).filter((group) => group.id !== id) });
  }
  rename(id: string, name: string): void {
    this.#setGroup(id, (group) => ({ ...group, name }));
  }
  setAddresses(id: string, text: string): void {
    const addresses = text
      .split(/[\s,;]+/)
      .map((address) => address.trim())
      .filter((address) => address !== '');
    this.#setGroup(id, (group) => ({ ...group, addresses }));
  }
  want(id: string, kind: NoticeKind): void {
    this.#setGroup(id, (group) => ({
      ...group,
      wants: group.wants.includes(kind) ? group.wants.filter((other) => other !== kind) : [...group.wants, kind],
    }));
  }
  setReport(id: string, report: string): void {
    this.#setGroup(id, (group) => ({ ...group, report: report as RecipientGroup['report'] }));
  }
  addWebhook(id: string): void {
    const bytes = crypto.getRandomValues(new Uint8Array(24));
    const secret = `whsec_${btoa(String.fromCharCode(...bytes))}`;
    this.#setGroup(id, (group) => ({ ...group, webhooks: [...group.webhooks, { id: nextId('h', group.webhooks), url: '', secret }] }));
  }
  setWebhook(id: string, webhookId: string, change: Partial<Webhook>): void {
    this.#setGroup(id, (group) => ({
      ...group,
      webhooks: group.webhooks.map((webhook) => (webhook.id === webhookId ? { ...webhook, ...change } : webhook)),
    }));
  }
  removeWebhook(id: string, webhookId: string): void {
    this.#setGroup(id, (group) => ({ ...group, webhooks: group.webhooks.filter((webhook) => webhook.id !== webhookId) }));
  }
  save(): void {
    const settings = this.settings();
    if (settings && this.problem() === null) this.#store.dispatch(noticeActions.settingsWanted({ settings }));
  }
  try(group: string): void {
    this.#store.dispatch(noticeActions.trialWanted({ group }));
  }
  whyNotTry({ id, addresses, webhooks }: RecipientGroup): string | false {
    if (this.isChanged()) return 'Save what you changed first.';
    if (this.trying() === id) return 'A trial is on its way.';
    return addresses.length + webhooks.length === 0 && 'It has no recipient yet.';
  }
  whereTo({ way }: ListedNotice): string {
    return way.kind === 'mail' ? way.addresses.join(', ') : way.url;
  }
  lastProblem({ attempts }: ListedNotice): string {
    return attempts.at(-1)?.problem ?? '';
  }
}
