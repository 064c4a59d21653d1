import * as z from 'zod';
import { DocumentSchema } from '../document/document.schema.js';
import { keptSecret } from '../secrets/kept-secrets.js';

/** What people are told of. */
export const noticeKinds = ['not ready', 'missed', 'left out', 'began', 'verdict', 'trial'] as const;
export type NoticeKind = (typeof noticeKinds)[number];

export const noticeNames: Readonly<Record<NoticeKind, string>> = {
  'not ready': 'A run will not be able to begin',
  missed: 'A start was missed',
  'left out': 'A start was left out',
  began: 'A run has begun',
  verdict: 'A run has ended, with its verdict',
  trial: 'A trial of these settings',
};

/** The server that takes mail: SMTP (RFC 5321), with STARTTLS (RFC 3207) or TLS from the beginning (RFC 8314). */
export const MailServerSchema = z.object({
  host: z.string().trim().min(1, 'Name the mail server.').max(253),
  port: z.number().int().min(1).max(65_535),
  security: z.enum(['none', 'starttls', 'tls']),
  /** Empty where it asks for none. */
  user: z.string().max(200).default(''),
  password: z.string().max(500).default(''),
  from: z.email('Write the address of the sender, as tester@example.com.'),
});
export type MailServer = z.infer<typeof MailServerSchema>;

/** An address that is told by HTTP, signed as the Standard Webhooks specification 1.0 has it. */
export const WebhookSchema = z.object({
  id: z.string(),
  url: z.url({ protocol: /^https?$/, error: 'Write an address that begins with http:// or https://.' }).max(2000),
  /** Random bytes in base64, with `whsec_` before them. */
  secret: z
    .string()
    .refine(
      (secret) => secret === keptSecret || /^whsec_[A-Za-z0-9+/]{32,}={0,2}$/.test(secret),
      'A secret begins with whsec_, then at least 24 random bytes in base64.',
    ),
});
export type Webhook = z.infer<typeof WebhookSchema>;

/** Recipients who are told the same. */
export const RecipientGroupSchema = z.object({
  id: z.string(),
  name: z.string().trim().min(1, 'Give the group a name.').max(80),
  addresses: z.array(z.email('Write an address such as mara@example.com.')).max(50),
  webhooks: z.array(WebhookSchema).max(10).default([]),
  wants: z.array(z.enum(noticeKinds)).default(['not ready', 'missed', 'left out', 'verdict']),
  /** The report of the run that goes with a verdict. */
  report: z.enum(['none', 'pdf', 'docx', 'html']).default('pdf'),
});
export type RecipientGroup = z.infer<typeof RecipientGroupSchema>;

/** Who is told, and how mail is sent. */
export const NoticeSettingsSchema = z.object({
  mail: MailServerSchema.nullable().default(null),
  groups: z.array(RecipientGroupSchema).max(50).default([]),
});
export type NoticeSettings = z.infer<typeof NoticeSettingsSchema>;

/** A notice on its way to one recipient: kept until it has arrived or is given up. */
export const NoticeSchema = z.object({
  id: z.string(),
  projectId: z.string(),
  at: z.string(),
  kind: z.enum(noticeKinds),
  group: z.string(),
  way: z.discriminatedUnion('kind', [
    z.object({ kind: z.literal('mail'), addresses: z.array(z.string()) }),
    z.object({ kind: z.literal('webhook'), groupId: z.string(), webhookId: z.string(), url: z.string() }),
  ]),
  document: DocumentSchema,
  /** Where people read on; empty where that is not known. */
  link: z.string(),
  /** The run whose report goes with it, and its format. */
  report: z.object({ runId: z.string(), format: z.enum(['pdf', 'docx', 'html']) }).nullable(),
  state: z.enum(['waiting', 'sent', 'given up']),
  attempts: z.array(z.object({ at: z.string(), problem: z.string().nullable() })),
  /** When it is tried again, ISO 8601 in UTC; null where it is not. */
  nextAt: z.string().nullable(),
});
export type Notice = z.infer<typeof NoticeSchema>;

/** A notice in a list. */
export const ListedNoticeSchema = NoticeSchema.omit({ document: true, report: true }).extend({ title: z.string() });
export type ListedNotice = z.infer<typeof ListedNoticeSchema>;
