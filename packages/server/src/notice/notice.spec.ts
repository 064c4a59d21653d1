import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import type { ListedNotice, Notice, RecipientGroup, TargetPolicy } from '@sturdy/core';
import type { Lookup } from '@sturdy/engine';
import { Webhook } from 'standardwebhooks';
import type { Services } from '../api/services.js';
import { TestClock } from '../test/test-clock.js';
import { noticeLookup } from './notice-lookup.js';
import { Notices } from './notices.js';
import { sendWebhook } from './send-webhook.js';
import { signWebhook } from './sign-webhook.js';

const secret = 'whsec_MfKQ9r8GKYqrTwjUPD8ILPZIo2LaLaSw';
const document = { title: 'Run 4: criteria were missed', subtitle: '', facts: [], logo: null, blocks: [] };

describe('a call of a webhook', () => {
  it('is signed as the published example of the specification has it, and as its reference library checks it', () => {
    // Example of the reference library's own tests (standardwebhooks 1.0, libraries/javascript).
    const headers = signWebhook(secret, 'msg_p5jXN8AQM9LWM0D4loKWxJek', 1_614_265_330_000, '{"test": 2432232314}');
    expect(headers['webhook-signature']).toBe('v1,g0hM9SsE+OTPJTGt/tmIKtSyZlE3uFJELVlNIOLJ1OE=');
    const body = '{"title":"held, ünd more"}';
    const fresh = signWebhook(secret, 'n1', Date.now(), body);
    expect(new Webhook(secret).verify(body, fresh)).toEqual({ title: 'held, ünd more' });
    expect(() => new Webhook(secret).verify(`${body} `, fresh)).toThrow('No matching signature found');
  });

  it('counts as taken for 200 to 299 alone; a redirect is not followed', async () => {
    const asked: string[] = [];
    const server: Server = createServer((request, response) => {
      asked.push(request.url ?? '');
      response.writeHead(Number((request.url ?? '').slice(1)), { Location: '/200' }).end();
    });
    await new Promise<void>((done) => server.listen(0, '127.0.0.1', done));
    const origin = `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
    const send = (status: number) => sendWebhook({ url: `${origin}/${status}`, secret }, { id: 'n', body: '{}', atMs: 0 }, []);
    await send(204);
    await expect(send(302)).rejects.toThrow('It answered 302; 200 to 299 mean that it was taken.');
    await expect(send(500)).rejects.toThrow('It answered 500');
    expect(asked).toEqual(['/204', '/302', '/500']);
    await new Promise((done) => server.close(done));
  });
});

describe('where notices go', () => {
  const leadTo =
    (address: string): Lookup =>
    (_name, _options, callback) => {
      callback(null, [{ address, family: address.includes(':') ? 6 : 4 }]);
    };
  const outcome = (origin: string, address: string, policies: TargetPolicy[] = []): Promise<string> =>
    new Promise((done) => {
      try {
        noticeLookup(origin, policies, leadTo(address))(new URL(origin).hostname, {}, (error, found) => {
          done(error ? error.message : JSON.stringify(found));
        });
      } catch (error) {
        done(error instanceof Error ? error.message : String(error));
      }
    });

  it.each([
    ['https://hooks.example.com', '203.0.113.9', [], 'is set aside'],
    ['https://hooks.example.com', '93.184.215.14', [], '93.184.215.14'],
    ['smtp://mail.company.example:25', '10.1.2.3', [], '10.1.2.3'],
    ['http://hooks.example.com', '169.254.169.254', [], 'where nothing is ever sent'],
    ['http://169.254.169.254', '169.254.169.254', [], 'Nothing is ever sent to http://169.254.169.254'],
    ['http://metadata.google.internal', '10.0.0.1', [], 'credentials'],
    ['http://localhost:1', '10.0.0.1', [], 'which is not this machine'],
    ['https://hooks.example.com', '93.184.215.14', [{ publicAddresses: false }], 'is on the public internet'],
    ['https://hooks.example.com', '10.1.2.3', [{ publicAddresses: true, hosts: ['*.company.example'] }], 'does not allow'],
    ['https://mail.company.example', '10.1.2.3', [{ publicAddresses: true, hosts: ['*.company.example'], users: 5 }], '10.1.2.3'],
  ])('%s leading to %s under %j: %s', async (origin, address, policies, expected) => {
    expect(await outcome(origin, address, policies)).toContain(expected);
  });
});

describe('a notice that does not arrive', () => {
  it('is tried again at growing distances, survives a restart, and is given up with the reason', async () => {
    const kept = new Map<string, Notice>();
    const group: RecipientGroup = {
      id: 'g',
      name: 'Night watch',
      addresses: ['kim@tidewell.example'],
      webhooks: [],
      wants: ['missed'],
      report: 'none',
    };
    const clock = new TestClock(0);
    const services = {
      store: {
        noticeSettings: () => Promise.resolve({ mail: null, groups: [group] }),
        saveNotice: (notice: Notice) => Promise.resolve(void kept.set(notice.id, notice)),
        waitingNotices: () => Promise.resolve([...kept.values()].filter(({ state }) => state === 'waiting')),
        notices: () => Promise.resolve([...kept.values()].map((notice): ListedNotice => ({ ...notice, title: notice.document.title }))),
      },
      environments: { policies: [] },
    } as unknown as Services;
    const make = () => new Notices(services, { documentOf: () => Promise.reject(new Error('none')) }, clock);
    const told = { projectId: 'p', kind: 'missed' as const, document, path: '/schedule' };
    const first = make();
    await first.tell(['g', 'other'], told);
    // Nobody wants to hear of this one.
    await first.tell(['g'], { ...told, kind: 'began' });
    const attempts: number[] = [];
    let notices = first;
    for (let minutes = 0; minutes < 240; minutes++) {
      if (minutes === 5) notices = make();
      await notices.deliver();
      const [notice] = kept.values();
      if ((notice?.attempts.length ?? 0) > attempts.length) attempts.push(minutes);
      clock.move(60_000);
    }
    const [notice] = kept.values();
    expect(kept.size).toBe(1);
    expect(attempts).toEqual([0, 1, 3, 13, 43, 163]);
    expect(notice).toMatchObject({ state: 'given up', nextAt: null });
    expect(notice?.attempts.at(-1)?.problem).toBe('No mail server is set. Name one on the page Notice.');
    expect((await notices.try(group, { ...told, kind: 'trial' }))[0]).toMatchObject({
      state: 'given up',
    });
  });
});
