import { BlockList } from 'node:net';
import fc from 'fast-check';
import { isInNetwork } from './address.js';
import { ClearanceSchema, type Clearance } from './clearance.schema.js';
import { policyProblem, TargetPolicySchema } from './target-policy.js';

const origin = 'http://erp.test.company.example';
const clearance = (more: Partial<Clearance> = {}): Clearance =>
  ClearanceSchema.parse({ origin, by: 'Mara', for: 'a test', until: '2026-06-30', addresses: ['10.20.0.7'], ...more });
const problem = (policy: object, more: Partial<Clearance> = {}) => policyProblem(TargetPolicySchema.parse(policy), clearance(more));

describe('what the operator allows', () => {
  it('is everything where nothing is said', () => {
    expect(problem({})).toBeNull();
    expect(problem({}, { addresses: ['8.8.8.8'] })).toBeNull();
  });

  it('may be some networks: every address of a target has to lie in one of them', () => {
    const policy = { networks: ['10.20.0.0/16', 'fd00:20::/32'] };
    expect(problem(policy)).toBeNull();
    expect(problem(policy, { addresses: ['10.20.0.7', 'fd00:20::7', '::ffff:10.20.1.1'] })).toBeNull();
    expect(problem(policy, { addresses: ['10.20.0.7', '10.21.0.7'] })).toBe(
      `The policy of this machine does not allow ${origin} to be cleared: 10.21.0.7 is in none of its networks (10.20.0.0/16, fd00:20::/32).`,
    );
    expect(problem({ networks: [] })).toContain('is in none of its networks');
  });

  it('may be some hosts, by name or all below one', () => {
    expect(problem({ hosts: ['*.test.company.example'] })).toBeNull();
    expect(problem({ hosts: ['ERP.test.company.example'] })).toBeNull();
    expect(problem({ hosts: ['crm.test.company.example'] })).toContain('it allows the hosts crm.test.company.example.');
    for (const near of ['http://test.company.example', 'http://eviltest.company.example', 'http://erp.test.company.example.net'])
      expect(problem({ hosts: ['*.test.company.example'] }, { origin: near })).toContain('it allows the hosts');
  });

  it('may leave the public internet out', () => {
    expect(problem({ publicAddresses: false })).toBeNull();
    expect(problem({ publicAddresses: false }, { addresses: ['10.20.0.7', '8.8.8.8'] })).toContain('8.8.8.8 is on the public internet.');
  });

  it('may be a highest rate and so many users: a clearance without a ceiling is above every one', () => {
    expect(problem({ requestsPerSecond: 50, users: 20 }, { requestsPerSecond: 50, users: 20 })).toBeNull();
    expect(problem({ requestsPerSecond: 50 }, { requestsPerSecond: 51 })).toContain(
      'it allows 50 requests a second at the most, and the clearance says 51. Write requestsPerSecond: 50.',
    );
    expect(problem({ users: 20 })).toContain('it allows 20 users at the most, and the clearance says no ceiling. Write users: 20.');
  });

  it.each([{ networks: ['10.20.0.0'] }, { networks: ['10.20.0.0/33'] }, { networks: ['ten/8'] }, { users: 0 }, { speed: 3 }])(
    'is not %j',
    (policy) => {
      expect(TargetPolicySchema.safeParse(policy).success).toBe(false);
    },
  );
});

describe('a network', () => {
  it('holds the addresses that the lists of Node.js say it holds', () => {
    fc.assert(
      fc.property(fc.ipV4(), fc.ipV4(), fc.integer({ min: 0, max: 32 }), (address, base, bits) => {
        const list = new BlockList();
        list.addSubnet(base, bits, 'ipv4');
        expect(isInNetwork(address, `${base}/${bits}`)).toBe(list.check(address));
      }),
      { numRuns: 500 },
    );
    fc.assert(
      fc.property(fc.ipV6(), fc.integer({ min: 1, max: 128 }), (base, bits) => {
        const list = new BlockList();
        list.addSubnet(base, bits, 'ipv6');
        for (const address of ['fd00::1', '2606:4700::1111'])
          expect(isInNetwork(address, `${base}/${bits}`)).toBe(list.check(address, 'ipv6'));
      }),
      { numRuns: 200 },
    );
  });

  it('of the other family holds none', () => {
    expect([isInNetwork('10.0.0.1', '::/0'), isInNetwork('fd00::1', '0.0.0.0/0')]).toEqual([false, false]);
  });
});
