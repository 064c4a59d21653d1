import { hexToBytes } from '@noble/hashes/utils';
import fc from 'fast-check';
import { basicAuthorization } from './basic.js';
import { bytesToBase64 } from '../bytes.js';
import { readChallenges } from './challenge.js';
import type { Credential } from './credential.schema.js';
import { digestAuthorization, type DigestAsked } from './digest.js';
import { md4 } from './md4.js';
import { ntlmAuthenticate, ntlmKey, ntlmNegotiate, ntlmResponses, readNtlmChallenge } from './ntlm.js';
import { SignIn } from './sign-in.js';

const hex = (bytes: Uint8Array) => Buffer.from(bytes).toString('hex');
const utf8 = (text: string) => new TextEncoder().encode(text);
const none = new Uint8Array(0);

describe('Basic', () => {
  it.each([
    ['Aladdin', 'open sesame', 'QWxhZGRpbjpvcGVuIHNlc2FtZQ==', 'RFC 7617, 2'],
    ['test', '123\u00a3', 'dGVzdDoxMjPCow==', 'RFC 7617, 2.1'],
  ])('%s: %s', (user, password, expected) => {
    expect(basicAuthorization(user, password)).toBe(`Basic ${expected}`);
  });
});

describe('Digest', () => {
  const asked: DigestAsked = {
    user: 'Mufasa',
    password: 'Circle of Life',
    method: 'GET',
    target: '/dir/index.html',
    body: none,
    count: 1,
    clientNonce: 'f2/wE4q74E6zIJEtWaHKaf5wv/H5QzzpXusqGemxURZJ',
  };
  const challenge = (algorithm: string) =>
    readChallenges([
      `Digest realm="http-auth@example.org", qop="auth, auth-int", algorithm=${algorithm}, nonce="7ypf/xlj9XXwfDPEoM4URrv/xwf94BcCAzFZH4GiTo0v", opaque="FQhe/qaU925kfnzjCev0ciny7QMkPqMAFRtzCUYo5tdS"`,
    ])[0]?.params ?? {};

  it.each([
    ['MD5', '8ca523f5e9506fed4657c9700eebdbec'],
    ['SHA-256', '753927fa0e85d155564e2e272a28d1802ca10daf4496794697cf8db5856cb6c1'],
  ])('answers with %s as in RFC 7616, 3.9.1', (algorithm, response) => {
    const value = digestAuthorization(challenge(algorithm), asked);
    expect(value).toContain(`response="${response}"`);
    expect(value).toContain(`nc=00000001, cnonce="${asked.clientNonce}", qop=auth`);
    expect(value).toContain('opaque="FQhe/qaU925kfnzjCev0ciny7QMkPqMAFRtzCUYo5tdS"');
  });

  // RFC 2617, 3.5 (the same computation for MD5 with another nonce).
  it('answers as in RFC 2617, 3.5', () => {
    const [first] = readChallenges([
      'Digest realm="testrealm@host.com", qop="auth,auth-int", nonce="dcd98b7102dd2f0e8b11d0f600bfb0c093", opaque="5ccc069c403ebaf9f0171e9517f40e41"',
    ]);
    expect(digestAuthorization(first?.params ?? {}, { ...asked, password: 'Circle Of Life', clientNonce: '0a4f113b' })).toContain(
      'response="6629fae49393a05397450978507c4ef1"',
    );
  });
});

describe('MD4 and NTLMv2', () => {
  // RFC 1320, A.5.
  it.each([
    ['', '31d6cfe0d16ae931b73c59d7e0c089c0'],
    ['a', 'bde52cb31de33e46245e05fbdbd6fb24'],
    ['abc', 'a448017aaf21d8525fc10ae87aa6729d'],
    ['message digest', 'd9130a8164549fe818874806e1c7014b'],
    ['ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789', '043f8582f241db351ce627e153e7f0e4'],
    ['12345678901234567890123456789012345678901234567890123456789012345678901234567890', 'e33b4ddc9c38f2199c3e7b164fcc0536'],
  ])('MD4 of “%s” as in RFC 1320, A.5', (text, digest) => {
    expect(hex(md4(utf8(text)))).toBe(digest);
  });

  // [MS-NLMP] 4.2.1 and 4.2.4: common values and the NTLMv2 example.
  const user = { user: 'User', password: 'Password', domain: 'Domain' };
  const targetInfo = hexToBytes('02000c0044006f006d00610069006e0001000c005300650072007600650072000000' + '0000');
  const example = { serverChallenge: hexToBytes('0123456789abcdef'), targetInfo, timestamp: null };
  const clientChallenge = hexToBytes('aaaaaaaaaaaaaaaa');

  it('derives the key of [MS-NLMP] 4.2.4.1.1', () => {
    expect(hex(ntlmKey(user))).toBe('0c868a403bfd7a93a3001ef22ef02e3f');
  });

  it('computes the responses of [MS-NLMP] 4.2.4.2', () => {
    const { nt, lm, sessionKey } = ntlmResponses(ntlmKey(user), example, clientChallenge, new Uint8Array(8));
    expect(hex(nt.slice(0, 16))).toBe('68cd0ab851e51c96aabc927bebef6a1c');
    expect(hex(lm)).toBe('86c35097ac9cec102554764a57cccc19aaaaaaaaaaaaaaaa');
    expect(hex(sessionKey)).toBe('8de40ccadbc14a82f15cb0ad0de95ca3');
  });

  it('lays an authenticate message out so that each field is found where its header says ([MS-NLMP] 2.2.1.3)', () => {
    const message = Buffer.from(ntlmAuthenticate(user, example, clientChallenge, 0));
    const field = (at: number) => message.subarray(message.readUInt32LE(at + 4), message.readUInt32LE(at + 4) + message.readUInt16LE(at));
    expect(field(28).toString('utf16le')).toBe('Domain');
    expect(field(36).toString('utf16le')).toBe('User');
    expect(field(20).length).toBe(16 + 28 + targetInfo.length + 4);
  });

  it('refuses bytes that are no challenge', () => {
    fc.assert(
      fc.property(fc.uint8Array({ maxLength: 80 }), (bytes) => {
        expect(() => readNtlmChallenge(bytes)).toThrow(/no challenge message/);
      }),
    );
  });
});

describe('challenges', () => {
  it('are read one by one from lines that hold several (RFC 9110, 11.6.1)', () => {
    expect(
      readChallenges(['Newauth realm="apps", type=1, title="Login to \\"apps\\"", Basic realm="simple"', 'NTLM', 'Negotiate YII=']),
    ).toEqual([
      { scheme: 'newauth', params: { realm: 'apps', type: '1', title: 'Login to "apps"' }, token: null },
      { scheme: 'basic', params: { realm: 'simple' }, token: null },
      { scheme: 'ntlm', params: {}, token: null },
      { scheme: 'negotiate', params: {}, token: 'YII=' },
    ]);
  });

  it('never hang and never throw', () => {
    fc.assert(
      fc.property(fc.string(), (line) => {
        expect(Array.isArray(readChallenges([line]))).toBe(true);
      }),
    );
  });
});

describe('whatever a server asks', () => {
  const head = (size: number) => Buffer.concat([Buffer.from('NTLMSSP\0\x02\0\0\0', 'latin1'), Buffer.alloc(size - 12, 0xff)]);
  const challenge = fc.oneof(
    fc.integer({ min: 12, max: 80 }).map((size) => `NTLM ${head(size).toString('base64')}`),
    fc.uint8Array({ maxLength: 60 }).map((bytes) => `Negotiate ${Buffer.from(bytes).toString('base64')}`),
    fc.string().map((text) => `NTLM ${text}`),
    fc.string().map((text) => `Digest realm="${text}", nonce=${text}, qop=${text}, algorithm=MD5`),
    fc.string(),
  );
  it('is answered or given up, and never throws', () => {
    fc.assert(
      fc.property(fc.array(challenge, { minLength: 1, maxLength: 4 }), fc.constantFrom('ntlm', 'digest', 'basic'), (asked, kind) => {
        const credential = { kind, origin: '*', user: 'kim', password: 'p', ...(kind === 'ntlm' ? { domain: 'D' } : {}) } as Credential;
        const signIn = new SignIn(
          [credential],
          (count) => new Uint8Array(count),
          () => 0,
        );
        for (const request of asked) {
          const answer = signIn.answer({ origin: 'http://127.0.0.1:9', method: 'GET', target: '/', body: new Uint8Array(0) }, [
            ['WWW-Authenticate', request],
          ]);
          expect(answer === null || /^\w+ /.test(answer)).toBe(true);
        }
      }),
      { numRuns: 400 },
    );
  });
});

describe('signing in', () => {
  const request = { origin: 'http://127.0.0.1:9', method: 'GET', target: '/', body: none };
  const signIn = (credential: Credential) =>
    new SignIn(
      [credential],
      (count) => new Uint8Array(count),
      () => 0,
    );

  it('makes the recorded Authorization anew, for its origin only', () => {
    const basic = signIn({ kind: 'basic', origin: request.origin, user: 'a', password: 'b' });
    expect(
      basic.prepare(request, [
        ['authorization', 'Basic old'],
        ['X', '1'],
      ]),
    ).toEqual([
      ['X', '1'],
      ['Authorization', 'Basic YTpi'],
    ]);
    expect(basic.prepare({ ...request, origin: 'http://127.0.0.1:8' }, [['Authorization', 'Basic old']])).toEqual([
      ['Authorization', 'Basic old'],
    ]);
    expect(basic.prepare(request, [['Authorization', 'Custom key']])[0]).toEqual(['Authorization', 'Custom key']);
  });

  it('counts the uses of a Digest nonce, takes a fresh one when it is stale, and gives up when refused', () => {
    const digest = signIn({ kind: 'digest', origin: '*', user: 'a', password: 'b' });
    expect(digest.prepare(request, [])).toEqual([]);
    const ask = (nonce: string, stale = '') =>
      [['WWW-Authenticate', `Digest realm="r", qop="auth", nonce="${nonce}"${stale}`]] as [string, string][];
    expect(digest.answer(request, ask('n1'))).toContain('nc=00000001');
    expect(digest.prepare(request, [])[0]?.[1]).toContain('nc=00000002');
    expect(digest.answer(request, ask('n2', ', stale=true'))).toContain('nonce="n2", nc=00000001');
    expect(digest.answer(request, ask('n2'))).toBeNull();
  });

  it('walks through the NTLM messages and stops where the last one is refused', () => {
    const ntlm = signIn({ kind: 'ntlm', origin: '*', user: 'User', password: 'Password', domain: 'Domain' });
    expect(ntlm.answer(request, [['WWW-Authenticate', 'NTLM']])).toBe(`NTLM ${bytesToBase64(ntlmNegotiate())}`);
    const challenge = new Uint8Array(48);
    challenge.set(ntlmNegotiate().slice(0, 8));
    challenge[8] = 2;
    const third = ntlm.answer(request, [['WWW-Authenticate', `NTLM ${bytesToBase64(challenge)}`]]);
    expect(Buffer.from(third?.slice(5) ?? '', 'base64').readUInt32LE(8)).toBe(3);
    expect(ntlm.answer(request, [['WWW-Authenticate', 'NTLM']])).toBeNull();
  });
});
