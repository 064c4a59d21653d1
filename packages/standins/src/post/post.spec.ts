import { createTransport } from 'nodemailer';
import { defaultPostSettings, startPost, type Post } from './post.js';

let post: Post;
afterEach(() => post.stop());
const send = (mail: object, more: object = {}) =>
  createTransport({ host: '127.0.0.1', port: post.smtpPort, ignoreTLS: true, ...more }).sendMail({
    from: 'sturdy@tidewell.example',
    to: 'mara@tidewell.example',
    ...mail,
  });
const page = async (path: string) => {
  const answer = await fetch(`${post.origin}${path}`);
  return { text: await answer.text(), headers: answer.headers, status: answer.status };
};

describe('Tidewell Post', () => {
  it('collects mail with its attachments, and shows it without running anything of it', async () => {
    post = await startPost();
    expect((await page('/')).text).toContain('Nothing yet.');
    const attachments = [{ filename: 'report.pdf', content: Buffer.from('%PDF-'), contentType: 'application/pdf' }];
    await send({ subject: '<b>Held</b>', text: 'All held.', html: '<p>All held.</p><script>alert(1)</script>', attachments });
    expect((await page('/')).text).toMatch(/&#60;b&#62;Held.*report\.pdf/s);
    expect((await page('/messages/1')).text).toContain('All held.');
    const body = await page('/messages/1/body');
    expect([body.text.includes('<script>'), body.headers.get('content-security-policy')]).toEqual([
      true,
      expect.stringMatching(/default-src 'none'.*sandbox/),
    ]);
    const file = await page('/messages/1/attachments/0');
    expect([file.text, file.headers.get('content-type')]).toEqual(['%PDF-', 'application/pdf']);
    expect((await page('/messages/2')).status).toBe(404);
    expect(await (await fetch(`${post.origin}/messages.json`)).json()).toMatchObject([
      { kind: 'mail', to: ['mara@tidewell.example'], attachments: [{ name: 'report.pdf', size: 5 }] },
    ]);
  });

  it('lets only those in who know the password, where it has one, and is busy at first where that is wanted', async () => {
    post = await startPost({ user: 'mara', password: 'mara-pass', refuseFirst: 1 });
    await expect(send({ subject: 'a' })).rejects.toThrow(/530|authentication required/i);
    await expect(send({ subject: 'b' }, { auth: { user: 'mara', pass: 'wrong' } })).rejects.toThrow(/535|wrong/);
    const auth = { auth: { user: 'mara', pass: 'mara-pass' } };
    await expect(send({ subject: 'c' }, auth)).rejects.toThrow('451 Busy, try again later');
    await send({ subject: 'd' }, auth);
    expect(post.messages().map(({ subject }) => subject)).toEqual(['d']);
  });

  it('says of calls of its webhook whether they are signed with its key', async () => {
    post = await startPost();
    const hook = (headers: Record<string, string>) =>
      fetch(`${post.origin}/hook`, { method: 'POST', body: '{"data":{"title":"Run 4"}}', headers });
    await hook({});
    await hook({ 'webhook-id': 'a', 'webhook-timestamp': '1', 'webhook-signature': 'v1,bm9uZQ==' });
    expect(post.messages().map(({ subject, signed }) => [subject, signed])).toEqual([
      ['Run 4', null],
      ['Run 4', false],
    ]);
    expect(defaultPostSettings.webhookSecret).toMatch(/^whsec_/);
  });
});
