import { htmlOf, markdownOf, type MailServer, type ReportDocument, type TargetPolicy } from '@sturdy/core';
import type { Lookup } from '@sturdy/engine';
import { createTransport } from 'nodemailer';
import type { LookupFunction } from 'node:net';
import { connect } from 'node:net';
import { connect as connectTls } from 'node:tls';
import { noticeLookup } from './notice-lookup.js';

const limitMs = 20_000;

/** A file that goes with a mail. */
export interface Attachment {
  name: string;
  type: string;
  bytes: Uint8Array;
}

/** A mail before it is sent. */
export interface Mail {
  id: string;
  addresses: readonly string[];
  document: ReportDocument;
  /** Where people read on; empty where that is not known. */
  link: string;
  attachment: Attachment | null;
}

/** Sends a mail as text and HTML (RFC 2046, 5.1.4). Rejects with what the server said, or why it could not be asked. */
export async function sendMail(server: MailServer, mail: Mail, policies: readonly TargetPolicy[], lookup?: Lookup): Promise<void> {
  const { host, port, security, user, password, from } = server;
  if (user !== '' && password === '') throw new Error(`The password of “${user}” at ${host} is missing. Give it on the page Notice.`);
  const origin = `smtp://${host.includes(':') ? `[${host}]` : host}:${port}`;
  const found = noticeLookup(origin, policies, lookup);
  const transport = createTransport({
    host,
    port,
    secure: security === 'tls',
    requireTLS: security === 'starttls',
    ignoreTLS: security === 'none',
    ...(user === '' ? {} : { auth: { user, pass: password } }),
    connectionTimeout: limitMs,
    greetingTimeout: limitMs,
    socketTimeout: limitMs,
    // The connection is made here, so that where it leads is judged at that moment.
    getSocket: (_options, callback) => {
      connectWithin(host, port, security === 'tls', found).then((connection) => {
        callback(null, { connection, secured: security === 'tls' });
      }, callback);
    },
  });
  const { document, addresses, link, attachment, id } = mail;
  const reading = link === '' ? [] : [`Read on: ${link}`];
  try {
    await transport.sendMail({
      from,
      to: [...addresses],
      subject: document.title,
      text: [textOf(document), ...reading].join('\n\n'),
      html: htmlOf(link === '' ? document : { ...document, facts: [...document.facts, { name: 'Read on', value: link }] }),
      messageId: `<${id}@${from.split('@')[1] ?? 'localhost'}>`,
      attachments: attachment ? [{ filename: attachment.name, contentType: attachment.type, content: Buffer.from(attachment.bytes) }] : [],
    });
  } finally {
    transport.close();
  }
}

/** A document as plain text: Markdown reads well without being drawn, once what keeps its signs apart is gone. */
const textOf = (document: ReportDocument): string =>
  markdownOf(document)
    .replace(/\\([\\`*_[\]<>|#~])/g, '$1')
    .replace(/\*\*/g, '');

function connectWithin(host: string, port: number, isSecure: boolean, lookup: LookupFunction) {
  return new Promise<ReturnType<typeof connect>>((done, failed) => {
    const socket = isSecure ? connectTls({ host, port, servername: host, lookup }) : connect({ host, port, lookup });
    socket.setTimeout(limitMs, () => {
      socket.destroy(new Error(`${host}:${port} did not answer within ${limitMs / 1000} s.`));
    });
    socket.once(isSecure ? 'secureConnect' : 'connect', () => {
      socket.off('error', failed);
      done(socket);
    });
    socket.once('error', failed);
  });
}
