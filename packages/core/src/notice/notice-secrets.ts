import { keptSecret } from '../secrets/kept-secrets.js';
import type { NoticeSettings } from './notice.schema.js';

/** Settings with each secret changed: the password of the mail server, and what webhooks are signed with. `known` are those of the same place before. */
function changeSecrets(
  settings: NoticeSettings,
  change: (secret: string, known: string | undefined) => string,
  known?: NoticeSettings,
): NoticeSettings {
  const knownWebhooks = new Map(
    known?.groups.flatMap((group) => group.webhooks.map((webhook) => [`${group.id} ${webhook.id}`, webhook.secret] as const)),
  );
  return {
    mail: settings.mail && { ...settings.mail, password: change(settings.mail.password, known?.mail?.password) },
    groups: settings.groups.map((group) => ({
      ...group,
      webhooks: group.webhooks.map((webhook) => ({
        ...webhook,
        secret: change(webhook.secret, knownWebhooks.get(`${group.id} ${webhook.id}`)),
      })),
    })),
  };
}

/** Settings as they are shown: no secret stands in them. */
export const hideNoticeSecrets = (settings: NoticeSettings): NoticeSettings =>
  changeSecrets(settings, (secret) => (secret === '' ? '' : keptSecret));

/**
 * Settings as they are kept, where the shown ones come back: a secret that was left as it is shown is the known one. A password goes with its server:
 * where host, port, user or the way it is secured are others, it has to be given anew, so that it is neither sent elsewhere nor in the open.
 */
export function restoreNoticeSecrets(given: NoticeSettings, known: NoticeSettings): NoticeSettings {
  const isSameServer = (['host', 'port', 'user', 'security'] as const).every((part) => given.mail?.[part] === known.mail?.[part]);
  const restored = changeSecrets(given, (secret, before) => (secret === keptSecret ? (before ?? '') : secret), known);
  return given.mail?.password === keptSecret && !isSameServer && restored.mail
    ? { ...restored, mail: { ...restored.mail, password: '' } }
    : restored;
}

/** Settings with each of their secrets sealed or opened. */
export const changeNoticeSecrets = (settings: NoticeSettings, change: (secret: string) => string): NoticeSettings =>
  changeSecrets(settings, change);
