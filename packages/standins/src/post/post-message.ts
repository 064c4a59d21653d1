/** Something that arrived: a mail, or a call of a webhook. */
export interface PostMessage {
  id: number;
  at: string;
  kind: 'mail' | 'webhook';
  from: string;
  to: string[];
  subject: string;
  text: string;
  html: string;
  attachments: { name: string; type: string; bytes: Buffer }[];
  /** Whether a webhook is signed with the secret of this box; null for a mail, and where it has no signature. */
  signed: boolean | null;
}
