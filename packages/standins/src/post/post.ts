import { createHmac, timingSafeEqual } from 'node:crypto';
import { createServer, type IncomingMessage, type ServerResponse } from 'node:http';
import type { AddressInfo } from 'node:net';
import { simpleParser } from 'mailparser';
import { SMTPServer } from 'smtp-server';
import type { PostMessage } from './post-message.js';
import { messagePage, messagesPage } from './post-pages.js';

export interface PostSettings {
  smtpPort: number;
  webPort: number;
  /** With which calls of the webhook are signed, as the Standard Webhooks specification 1.0 has it. */
  webhookSecret: string;
  /** Where they are set, who wants to send has to sign in with them. */
  user: string;
  password: string;
  /** So many messages are refused for the moment before the first one is taken, as a busy server does. */
  refuseFirst: number;
}

export const defaultPostSettings: PostSettings = {
  smtpPort: 0,
  webPort: 0,
  webhookSecret: `whsec_${Buffer.from('tidewell-post-made-up-key').toString('base64')}`,
  user: '',
  password: '',
  refuseFirst: 0,
};

export interface Post {
  smtpPort: number;
  /** Where what arrived is shown: http://127.0.0.1:… ; the webhook is /hook below it. */
  origin: string;
  messages: () => readonly PostMessage[];
  stop: () => Promise<void>;
}

/** Messages that are kept, and the largest body of a webhook, in bytes. */
const mostMessages = 200;
const mostBytes = 1 << 20;

/** Tidewell Post: a mail box that only collects, and shows what arrived. It sends nothing on. */
export async function startPost(given: Partial<PostSettings> = {}): Promise<Post> {
  const settings = { ...defaultPostSettings, ...given };
  const messages: PostMessage[] = [];
  let refused = 0;
  const keep = (message: Omit<PostMessage, 'id' | 'at'>) => {
    messages.push({ ...message, id: (messages.at(-1)?.id ?? 0) + 1, at: new Date().toISOString() });
    messages.splice(0, Math.max(0, messages.length - mostMessages));
  };
  const smtp = new SMTPServer({
    banner: 'Tidewell Post collects, and sends nothing on',
    authOptional: settings.user === '',
    allowInsecureAuth: true,
    disabledCommands: settings.user === '' ? ['AUTH', 'STARTTLS'] : ['STARTTLS'],
    disableReverseLookup: true,
    onAuth: ({ username, password }, _session, done) => {
      if (username === settings.user && password === settings.password) done(null, { user: username });
      else done(new Error('The user or the password is wrong'));
    },
    onData: (stream, session, done) => {
      void simpleParser(stream).then((mail) => {
        if (refused < settings.refuseFirst) {
          refused++;
          done(Object.assign(new Error('Busy, try again later'), { responseCode: 451 }));
          return;
        }
        keep({
          kind: 'mail',
          from: session.envelope.mailFrom === false ? '' : session.envelope.mailFrom.address,
          to: session.envelope.rcptTo.map(({ address }) => address),
          subject: mail.subject ?? '',
          text: mail.text ?? '',
          html: typeof mail.html === 'string' ? mail.html : '',
          attachments: mail.attachments.map(({ filename, contentType, content }) => ({
            name: filename ?? 'file',
            type: contentType,
            bytes: content,
          })),
          signed: null,
        });
        done();
      }, done);
    },
  });
  await new Promise<void>((done, failed) => {
    smtp.on('error', failed);
    smtp.listen(settings.smtpPort, '127.0.0.1', () => {
      smtp.off('error', failed);
      // A client that breaks off is no fault of the box.
      smtp.on('error', () => undefined);
      done();
    });
  });
  const web = createServer((request, response) => {
    void answer(request, response).catch(() => response.destroy());
  });
  const answer = async (request: IncomingMessage, response: ServerResponse): Promise<void> => {
    const { pathname } = new URL(request.url ?? '/', 'http://post');
    const send = (status: number, type: string, body: string | Buffer) => response.writeHead(status, { 'Content-Type': type }).end(body);
    if (request.method === 'POST' && pathname === '/hook') {
      const body = await bodyOf(request);
      keep(messageOf(body, request, settings.webhookSecret));
      send(204, 'text/plain', '');
      return;
    }
    if (pathname === '/') {
      send(200, 'text/html; charset=utf-8', messagesPage(messages));
      return;
    }
    if (pathname === '/messages.json') {
      send(
        200,
        'application/json',
        JSON.stringify(
          messages.map((message) => ({
            ...message,
            attachments: message.attachments.map(({ name, type, bytes }) => ({ name, type, size: bytes.length })),
          })),
        ),
      );
      return;
    }
    const [, id, part, at] = /^\/messages\/(\d+)(?:\/(body|attachments)(?:\/(\d+))?)?$/.exec(pathname) ?? [];
    const message = messages.find((known) => known.id === Number(id));
    const attachment = message?.attachments[Number(at)];
    if (message && part === undefined) send(200, 'text/html; charset=utf-8', messagePage(message));
    else if (message && part === 'body') {
      // What came from elsewhere runs nothing and loads nothing.
      response.setHeader('Content-Security-Policy', "default-src 'none'; style-src 'unsafe-inline'; img-src data:; sandbox");
      send(200, 'text/html; charset=utf-8', message.html);
    } else if (attachment) {
      response.setHeader('Content-Disposition', `attachment; filename="${attachment.name.replace(/[^\w.-]/g, '_')}"`);
      send(200, attachment.type, attachment.bytes);
    } else send(404, 'text/plain', 'There is nothing here.');
  };
  await new Promise<void>((done, failed) => {
    web.once('error', failed);
    web.listen(settings.webPort, '127.0.0.1', done);
  });
  return {
    smtpPort: (smtp.server.address() as AddressInfo).port,
    origin: `http://127.0.0.1:${(web.address() as AddressInfo).port}`,
    messages: () => messages,
    stop: async () => {
      await new Promise<void>((done) => {
        smtp.close(done);
      });
      web.closeAllConnections();
      await new Promise((done) => web.close(done));
    },
  };
}

async function bodyOf(request: IncomingMessage): Promise<string> {
  let body = '';
  for await (const piece of request.setEncoding('utf8')) {
    body += String(piece);
    if (body.length > mostBytes) throw new Error('too long');
  }
  return body;
}

function messageOf(body: string, { headers }: IncomingMessage, secret: string): Omit<PostMessage, 'id' | 'at'> {
  let subject = 'A call of the webhook';
  try {
    const read = JSON.parse(body) as { data?: { title?: unknown } };
    if (typeof read.data?.title === 'string') subject = read.data.title;
  } catch {
    // It is shown as it came.
  }
  return {
    kind: 'webhook',
    from: '',
    to: ['/hook'],
    subject,
    text: body,
    html: '',
    attachments: [],
    signed: isSigned(headers, body, secret),
  };
}

function isSigned(headers: IncomingMessage['headers'], body: string, secret: string): boolean | null {
  const header = (name: string): string => String(headers[name] ?? '');
  if (header('webhook-signature') === '') return null;
  const key = Buffer.from(secret.replace('whsec_', ''), 'base64');
  const expected = createHmac('sha256', key)
    .update(`${header('webhook-id')}.${header('webhook-timestamp')}.${body}`)
    .digest();
  return header('webhook-signature')
    .split(' ')
    .some((signature) => {
      const given = Buffer.from(signature.replace('v1,', ''), 'base64');
      return given.length === expected.length && timingSafeEqual(given, expected);
    });
}
