import { BlockList, isIPv4 } from 'node:net';
import fc from 'fast-check';
import { hostOf, isLoopback, judgeAddress, neverAllowed, type Reach } from './address.js';

describe('an address', () => {
  // Ranges of the IANA registries of special-purpose addresses (RFC 6890 and its updates), a first, a last and a middle one each.
  it.each<[string, Reach]>([
    ['127.0.0.1', 'loopback'],
    ['127.0.0.0', 'loopback'],
    ['127.255.255.255', 'loopback'],
    ['::1', 'loopback'],
    ['[::1]', 'loopback'],
    ['0:0:0:0:0:0:0:1', 'loopback'],
    ['::ffff:127.0.0.1', 'loopback'],
    ['::ffff:7f00:1', 'loopback'],
    ['0000:0000:0000:0000:0000:ffff:7f00:0001', 'loopback'],
    ['10.0.0.0', 'private'],
    ['10.255.255.255', 'private'],
    ['172.16.0.1', 'private'],
    ['172.31.255.255', 'private'],
    ['192.168.0.1', 'private'],
    ['192.168.255.255', 'private'],
    ['100.64.0.1', 'private'],
    ['100.127.255.255', 'private'],
    ['fc00::1', 'private'],
    ['fdff:ffff::1', 'private'],
    ['::ffff:10.0.0.7', 'private'],
    ['9.255.255.255', 'public'],
    ['11.0.0.0', 'public'],
    ['172.15.255.255', 'public'],
    ['172.32.0.0', 'public'],
    ['192.167.255.255', 'public'],
    ['192.169.0.0', 'public'],
    ['100.63.255.255', 'public'],
    ['100.128.0.0', 'public'],
    ['126.255.255.255', 'public'],
    ['128.0.0.0', 'public'],
    ['8.8.8.8', 'public'],
    ['2606:4700:4700::1111', 'public'],
    ['::ffff:8.8.8.8', 'public'],
    ['0.0.0.0', 'forbidden'],
    ['0.1.2.3', 'forbidden'],
    ['::', 'forbidden'],
    ['::ffff:0.0.0.0', 'forbidden'],
    ['169.254.0.1', 'forbidden'],
    ['169.254.169.254', 'forbidden'],
    ['::ffff:169.254.169.254', 'forbidden'],
    ['::ffff:a9fe:a9fe', 'forbidden'],
    ['fe80::1', 'forbidden'],
    ['fe80::1%eth0', 'forbidden'],
    ['febf::1', 'forbidden'],
    ['224.0.0.1', 'forbidden'],
    ['239.255.255.255', 'forbidden'],
    ['ff02::1', 'forbidden'],
    ['240.0.0.1', 'forbidden'],
    ['255.255.255.255', 'forbidden'],
    ['192.0.2.1', 'forbidden'],
    ['198.51.100.1', 'forbidden'],
    ['203.0.113.1', 'forbidden'],
    ['2001:db8::1', 'forbidden'],
    // Services that give machines of a cloud their credentials (handbooks of the providers, from memory).
    ['100.100.100.200', 'forbidden'],
    ['168.63.129.16', 'forbidden'],
    ['192.0.0.192', 'forbidden'],
    ['fd00:ec2::254', 'forbidden'],
    ['fd00:0ec2:0:0:0:0:0:0254', 'forbidden'],
    ['fd20:ce::254', 'forbidden'],
    ['::ffff:100.100.100.200', 'forbidden'],
    // IPv4 wrapped for another network (RFC 6052, 3056, 4380, 4291): what it carries decides.
    ['64:ff9b::127.0.0.1', 'forbidden'],
    ['64:ff9b::a9fe:a9fe', 'forbidden'],
    ['64:ff9b::10.0.0.1', 'forbidden'],
    ['64:ff9b::8.8.8.8', 'public'],
    ['2002:7f00:1::', 'forbidden'],
    ['2002:a9fe:a9fe::1', 'forbidden'],
    ['2002:0a00:0001::1', 'forbidden'],
    ['2001:0:4136:e378:8000:63bf:80ff:fffe', 'forbidden'],
    ['::127.0.0.1', 'forbidden'],
    ['::7f00:1', 'forbidden'],
    ['::169.254.169.254', 'forbidden'],
  ])('%s is %s', (text, reach) => {
    const judged = judgeAddress(text);
    expect(judged?.reach).toBe(reach);
    expect(judged?.forbidden !== null).toBe(reach === 'forbidden');
  });

  it.each([
    '',
    'localhost',
    '127.1',
    '0x7f000001',
    '2130706433',
    '0177.0.0.1',
    '1.2.3',
    '1.2.3.4.5',
    '256.1.1.1',
    ':::1',
    '1::2::3',
    'a.b.c.d',
  ])('“%s” is none: what is no address in full is looked up as a name, or read by the rules of URLs first', (text) => {
    expect(judgeAddress(text)).toBeNull();
  });

  it('is in canonical form, so that two ways to write it are the same (RFC 5952, 4)', () => {
    for (const text of ['2001:DB8:0:0:1:0:0:1', '2001:db8::1:0:0:1', '[2001:0db8::0001:0000:0000:0001]'])
      expect(judgeAddress(text)?.address).toBe('2001:db8::1:0:0:1');
  });

  it('is judged as the lists of Node.js judge it, for any address', () => {
    const [loopback, isPrivate, forbidden] = [new BlockList(), new BlockList(), new BlockList()];
    for (const [list, subnets] of [
      [loopback, ['127.0.0.0/8']],
      [isPrivate, ['10.0.0.0/8', '172.16.0.0/12', '192.168.0.0/16', '100.64.0.0/10']],
      [
        forbidden,
        // IANA IPv4 Special-Purpose Address Registry: what is not globally reachable and not above.
        ['0.0.0.0/8', '169.254.0.0/16', '192.0.0.0/24', '192.0.2.0/24', '198.51.100.0/24', '203.0.113.0/24', '224.0.0.0/4', '240.0.0.0/4'],
      ],
    ] as const)
      for (const subnet of subnets) {
        const [net = '', bits] = subnet.split('/');
        list.addSubnet(net, Number(bits), 'ipv4');
      }
    const anyAddress = fc.oneof(
      fc.ipV4(),
      // Half of them near the edges of the ranges.
      fc
        .tuple(
          fc.constantFrom(0, 9, 10, 11, 100, 126, 127, 128, 169, 172, 192, 198, 203, 223, 224, 239, 240, 255),
          fc.constantFrom(0, 15, 16, 31, 32, 51, 63, 64, 127, 128, 167, 168, 169, 253, 254, 255),
          fc.nat(255),
          fc.nat(255),
        )
        .map((bytes) => bytes.join('.')),
    );
    fc.assert(
      fc.property(anyAddress, (address) => {
        const judged = judgeAddress(address);
        // Kept for tests of network devices (RFC 2544), relays of 6to4 (RFC 7526), sinks of name servers (RFC 7535): nobody's application is there.
        const isSpecial = /^(198\.1[89]|192\.88\.99|192\.31\.196|192\.52\.193|192\.175\.48)\./.test(address);
        fc.pre(!isSpecial && !['100.100.100.200', '168.63.129.16'].includes(address));
        const reach = loopback.check(address)
          ? 'loopback'
          : isPrivate.check(address)
            ? 'private'
            : forbidden.check(address)
              ? 'forbidden'
              : 'public';
        expect([address, judged?.reach]).toEqual([address, reach]);
        // The same address as IPv6 is judged as the same.
        expect(judgeAddress(`::ffff:${address}`)).toEqual(judged);
        expect(isIPv4(judged?.address ?? '')).toBe(true);
      }),
      { numRuns: 2000 },
    );
  });
});

describe('an origin', () => {
  // Hosts as the URL standard reads them (3.5, host parser): numbers in any base, parts left out, percent signs, full-width signs, dots at the end.
  it.each([
    'http://127.0.0.1:1',
    'http://127.9.9.9',
    'http://[::1]:80',
    'http://localhost',
    'http://LOCALHOST',
    'http://localhost.',
    'http://127.1',
    'http://127.0.1',
    'http://0x7f.1',
    'http://0x7f000001',
    'http://2130706433',
    'http://017700000001',
    'http://0177.0.0.1',
    'http://127.0.0.1.',
    'http://%31%32%37.0.0.1',
    'http://１２７.0.0.1',
    'http://[::ffff:127.0.0.1]',
    'http://[::ffff:7f00:1]',
    'http://[0:0:0:0:0:0:0:1]',
    'tcp://127.0.0.1:9100',
    'tcp://127.1:9100',
    'tcp://[::1]:9100',
    'ws://localhost:1',
  ])('%s is on this machine', (origin) => {
    expect(isLoopback(origin)).toBe(true);
  });

  it.each([
    'http://10.0.0.1',
    'http://127.0.0.1.example',
    'http://127.0.0.1@10.0.0.1',
    'http://127.0.0.1:80@10.0.0.1',
    'http://10.0.0.1#127.0.0.1',
    'http://10.0.0.1?127.0.0.1',
    'http://10.0.0.1\\@127.0.0.1',
    'http://[::2]',
    'http://localhost.example',
    'http://local%00host',
    'http://notlocalhost',
    'http://0.0.0.0',
    'http://0',
    'http://[::]',
    'http://[::ffff:10.0.0.1]',
    'http://[::127.0.0.1]',
    'http://[64:ff9b::127.0.0.1]',
    'http://128.0.0.1',
    'http://126.255.255.255',
    'http://2130706432.example',
    'tcp://10.1:9100',
    'nothing',
    '',
    'http://',
  ])('%s is not', (origin) => {
    expect(isLoopback(origin)).toBe(false);
  });

  it.each([
    'http://169.254.169.254',
    'http://169.254.169.254.',
    'http://2852039166',
    'http://0xa9fea9fe',
    'http://0xa9.0xfe.0xa9.0xfe',
    'http://0251.0376.0251.0376',
    'http://169.254.43518',
    'http://[::ffff:169.254.169.254]',
    'http://[::ffff:a9fe:a9fe]',
    'http://[fe80::1]',
    'http://[fd00:ec2::254]',
    'http://100.100.100.200',
    'http://metadata.google.internal',
    'http://METADATA.google.internal.',
    'http://metadata',
    'http://instance-data',
    'tcp://169.254.169.254:80',
    'http://0.0.0.0',
    'http://0',
    'http://255.255.255.255',
    'http://224.0.0.1',
    'http://',
  ])('%s is never allowed', (origin) => {
    expect(neverAllowed(origin)).toMatch(/\S/);
  });

  it('may be allowed otherwise', () => {
    for (const origin of ['http://erp-test.company.example', 'https://10.0.0.7:8443', 'http://8.8.8.8', 'tcp://printer:9100'])
      expect(neverAllowed(origin)).toBeNull();
  });

  it('has one host, in one form', () => {
    expect(['http://ERP.Example.', 'http://0x0a.1', 'tcp://10.1:1', 'http://[::FFFF:10.0.0.1]'].map(hostOf)).toEqual([
      'erp.example',
      '10.0.0.1',
      '10.0.0.1',
      '[::ffff:a00:1]',
    ]);
  });
});
