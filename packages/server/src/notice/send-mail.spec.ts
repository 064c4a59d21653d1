import { execFile } from 'node:child_process';
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import type { AddressInfo } from 'node:net';
import { tmpdir } from 'node:os';
import { join, resolve } from 'node:path';
import { pathToFileURL } from 'node:url';
import { promisify } from 'node:util';
import { trialNotice, type MailServer } from '@sturdy/core';
import { SMTPServer, type SMTPServerOptions } from 'smtp-server';
import { CertificateAuthority } from '../record/proxy/certificate-authority.js';

/** What one server of the test saw of a mail. */
interface Seen {
  isSecure: boolean;
  user: string;
}
let folder: string;
let certificates: { key: string; cert: string };
let authorityFile: string;
const servers: SMTPServer[] = [];

beforeAll(async () => {
  folder = mkdtempSync(join(tmpdir(), 'sturdy-mail-'));
  const authority = await CertificateAuthority.open(join(folder, 'authority'));
  const { certificate, key } = await authority.issue('127.0.0.1');
  certificates = { key, cert: certificate };
  authorityFile = join(folder, 'authority.pem');
  writeFileSync(authorityFile, authority.certificatePem);
});
afterAll(async () => {
  for (const server of servers)
    await new Promise<void>((done) => {
      server.close(done);
    });
  rmSync(folder, { recursive: true, force: true });
});

async function serve(options: SMTPServerOptions): Promise<{ port: number; seen: Seen[] }> {
  const seen: Seen[] = [];
  const server = new SMTPServer({
    ...certificates,
    ...options,
    disableReverseLookup: true,
    onAuth: ({ username, password }, _session, done) => {
      if (password === 'mara-pass') done(null, { user: username });
      else done(new Error('The password is wrong'));
    },
    onData: (stream, session, done) => {
      stream.resume();
      stream.on('end', () => {
        seen.push({ isSecure: session.secure, user: String(session.user) });
        done();
      });
    },
  });
  servers.push(server);
  // Whoever does not trust its certificate breaks off; that is no fault of the test.
  server.on('error', () => undefined);
  await new Promise<void>((done) => {
    server.listen(0, '127.0.0.1', done);
  });
  return { port: (server.server.address() as AddressInfo).port, seen };
}

const sender = pathToFileURL(resolve('packages/server/dist/notice/send-mail.js')).href;
/** Sends a mail from a process of its own, which trusts the authority of the test where it is told to; gives why it could not. */
async function send(port: number, security: MailServer['security'], isTrusted = true): Promise<string> {
  const server: MailServer = { host: '127.0.0.1', port, security, user: 'mara', password: 'mara-pass', from: 'sturdy@tidewell.example' };
  const mail = {
    id: 'm',
    addresses: ['kim@tidewell.example'],
    document: trialNotice('Tidewell', 'Night watch', 'Mara'),
    link: '',
    attachment: null,
  };
  const program = `import { sendMail } from ${JSON.stringify(sender)};
    await sendMail(${JSON.stringify(server)}, ${JSON.stringify(mail)}, []).catch((error) => process.stdout.write(error.message));`;
  const env = { ...process.env, ...(isTrusted ? { NODE_EXTRA_CA_CERTS: authorityFile } : {}) };
  return (await promisify(execFile)(process.execPath, ['--input-type=module', '-e', program], { env })).stdout;
}

describe('mail', () => {
  it('goes over TLS from the beginning (RFC 8314) and over STARTTLS (RFC 3207), with a sign-in', async () => {
    const [wrapped, upgraded] = [await serve({ secure: true }), await serve({ secure: false })];
    expect(await send(wrapped.port, 'tls')).toBe('');
    expect(await send(upgraded.port, 'starttls')).toBe('');
    expect([wrapped.seen, upgraded.seen]).toEqual([[{ isSecure: true, user: 'mara' }], [{ isSecure: true, user: 'mara' }]]);
  }, 60_000);

  it('does not go where the certificate is not trusted, and not in the open where STARTTLS is wanted', async () => {
    const [wrapped, upgraded] = [await serve({ secure: true }), await serve({ secure: false })];
    const plain = await serve({ secure: false, disabledCommands: ['STARTTLS'], allowInsecureAuth: true });
    for (const [port, security] of [
      [wrapped.port, 'tls'],
      [upgraded.port, 'starttls'],
    ] as const)
      expect(await send(port, security, false)).toMatch(/certificate/i);
    expect(await send(plain.port, 'starttls')).toMatch(/STARTTLS|TLS/);
    expect([...wrapped.seen, ...upgraded.seen, ...plain.seen]).toEqual([]);
  }, 60_000);
});
