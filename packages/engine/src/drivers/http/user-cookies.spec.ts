import { UserCookies } from './user-cookies.js';

/** What is sent to each address after some Set-Cookie lines came from the first. */
const sent = (from: string, lines: readonly string[], ...to: string[]): string[] => {
  const cookies = new UserCookies();
  const { origin, pathname } = new URL(from);
  for (const line of lines) cookies.keep([['Set-Cookie', line]], origin, pathname);
  return to.map((address) => cookies.headerFor(address));
};

describe('cookies of a user, by the examples of RFC 6265', () => {
  it('3.1: one is returned to its host, with Path and Domain to all below, and several at once', () => {
    expect(sent('http://www.example.com/', ['SID=31d4d96e407aad42'], 'http://www.example.com/', 'http://example.com/')).toEqual([
      'SID=31d4d96e407aad42',
      '',
    ]);
    expect(sent('http://www.example.com/', ['SID=31d4d96e407aad42; Path=/; Domain=example.com'], 'http://shop.example.com/a')).toEqual([
      'SID=31d4d96e407aad42',
    ]);
    expect(
      sent(
        'https://www.example.com/',
        ['SID=31d4d96e407aad42; Path=/; Secure; HttpOnly', 'lang=en-US; Path=/; Domain=example.com'],
        'https://www.example.com/',
        'http://www.example.com/',
      ),
    ).toEqual(['SID=31d4d96e407aad42; lang=en-US', 'lang=en-US']);
  });

  it('3.1: a new one replaces it, and a date that is past removes it', () => {
    const from = 'http://www.example.com/';
    expect(sent(from, ['lang=en-US; Expires=Wed, 09 Jun 2126 10:18:14 GMT'], from)).toEqual(['lang=en-US']);
    expect(sent(from, ['lang=en-US', 'lang=de'], from)).toEqual(['lang=de']);
    expect(sent(from, ['lang=en-US; Path=/', 'lang=; Expires=Sun, 06 Nov 1994 08:49:37 GMT; Path=/'], from)).toEqual(['']);
  });

  it('5.1.3: addresses of hosts that are numbers match only themselves', () => {
    expect(sent('http://127.0.0.1/', ['a=1; Domain=0.0.1', 'b=2'], 'http://127.0.0.1/', 'http://9.127.0.0.1.example/')).toEqual([
      'b=2',
      '',
    ]);
  });

  it('5.1.4: paths match by whole segments; without one the folder of the request counts', () => {
    expect(
      sent(
        'http://e.example/docs/a',
        ['p=1; Path=/docs'],
        'http://e.example/docs',
        'http://e.example/docs/Web/',
        'http://e.example/docsets',
      ),
    ).toEqual(['p=1', 'p=1', '']);
    expect(sent('http://e.example/x/y', ['q=1'], 'http://e.example/x/z', 'http://e.example/')).toEqual(['q=1', '']);
  });

  it('5.2.2 and 5.3: Max-Age counts before Expires, and nothing is kept past it', () => {
    const from = 'http://e.example/';
    expect(sent(from, ['a=1; Max-Age=0; Expires=Wed, 09 Jun 2126 10:18:14 GMT', 'b=2; Max-Age=60'], from)).toEqual(['b=2']);
  });

  it('5.4: longer paths first, and among them the older first', () => {
    expect(sent('http://e.example/a/b', ['one=1; Path=/', 'two=2; Path=/a', 'three=3; Path=/a'], 'http://e.example/a/b')).toEqual([
      'two=2; three=3; one=1',
    ]);
  });
});
