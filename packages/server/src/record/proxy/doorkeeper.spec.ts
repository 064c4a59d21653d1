import { Doorkeeper } from './doorkeeper.js';
import { newClientPassword } from '../recording.js';

const basic = (text: string) => `Basic ${Buffer.from(text).toString('base64')}`;

describe('the door of a recording on the network', () => {
  it('lets in who gives the password (RFC 7617), and everybody where there is none', () => {
    const door = new Doorkeeper('tester:abc');
    expect([door.asks('a', undefined), door.asks('a', basic('tester:abd')), door.asks('a', basic('tester:abc'))]).toEqual([
      'password',
      'password',
      'in',
    ]);
    expect(door.asks('a', 'Bearer dGVzdGVyOmFiYw==')).toBe('password');
    expect(new Doorkeeper(null).asks('a', undefined)).toBe('in');
  });

  it('shuts for a minute on an address that guesses, and on no other', () => {
    let now = 0;
    const door = new Doorkeeper('tester:abc', () => now);
    for (let time = 0; time < 10; time++) expect(door.asks('guesser', basic(`tester:${time}`))).toBe('password');
    expect([door.asks('guesser', basic('tester:abc')), door.asks('other', basic('tester:abc'))]).toEqual(['shut', 'in']);
    // Browsers ask once without; that is no guess.
    for (let time = 0; time < 50; time++) expect(door.asks('browser', undefined)).toBe('password');
    now = 60_000;
    expect(door.asks('guesser', basic('tester:abc'))).toBe('in');
  });

  it('has a password of 128 bits, another one each time', () => {
    const [left, right] = [newClientPassword(), newClientPassword()];
    expect(left).not.toBe(right);
    const signs = left.replace('tester:', '').replaceAll('-', '');
    expect(signs.length * Math.log2(31)).toBeGreaterThanOrEqual(128);
    expect(signs).toMatch(/^[a-hj-km-np-z2-9]+$/);
  });
});
