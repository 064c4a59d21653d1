import { addressProblem, clearanceProblem, clearedUntilMs } from './clearance.js';
import { ClearanceSchema, type Clearance } from './clearance.schema.js';
import { clearanceLines, EnvironmentFileSchema, environmentOfFile, fileTargets, unclearedTarget } from '../files/environment-file.js';
import { targetStates } from './target-states.js';
import { allowsTarget, environmentProblem, plainEnvironment, resolveTarget } from './targets.js';
import { readYaml } from '../formats/yaml-text.js';

const origin = 'http://erp-test.company.example';
const now = Date.parse('2026-06-15T12:00:00Z');
const clearance = (more: Partial<Clearance> = {}): Clearance =>
  ClearanceSchema.parse({ origin, by: 'Mara', for: 'load test of release 4.2', until: '2026-06-30', addresses: ['10.0.0.7'], ...more });
const environment = (clearances: Clearance[] = [clearance()], targets = [origin]) => ({
  ...plainEnvironment({ id: 'e', projectId: 'p', name: 'Test', targets }),
  clearances,
});
const problem = (more: Partial<Clearance> = {}) => clearanceProblem(environment([clearance(more)]), more.origin ?? origin, now);

describe('a target beyond this machine', () => {
  it('is refused until somebody clears it, and this machine needs nobody', () => {
    expect(clearanceProblem(environment([]), origin, now)).toBe(
      `${origin} is not on this machine and is not cleared. Clear it first: who allows it, what for, and until when.`,
    );
    expect(problem()).toBeNull();
    expect(clearanceProblem(environment([]), 'http://127.0.0.1:4701', now)).toBeNull();
  });

  it('is cleared for itself: not for another port, scheme or name', () => {
    for (const near of [`${origin}:8080`, 'https://erp-test.company.example', 'http://erp.company.example', 'http://10.0.0.7'])
      expect(clearanceProblem(environment([clearance()], [near]), near, now)).toContain('is not cleared');
  });

  it('is refused once its time is over, which a day is at its end in UTC', () => {
    expect(clearedUntilMs({ until: '2026-06-15' })).toBe(Date.parse('2026-06-15T23:59:59.999Z'));
    expect(problem({ until: '2026-06-15' })).toBeNull();
    expect(problem({ until: '2026-06-15T14:00:00+02:00' })).toBeNull();
    expect(problem({ until: '2026-06-15T13:59:59+02:00' })).toBe(
      `The clearance of ${origin} by Mara ended on 2026-06-15T13:59:59+02:00. Ask again whether it may be tested, and clear it anew.`,
    );
    expect(problem({ until: '2026-06-14' })).toContain('ended on 2026-06-14');
  });

  it('is cleared for a year at the most', () => {
    expect(problem({ until: '2027-06-15' })).toBeNull();
    expect(problem({ until: '2027-08-01' })).toContain('Clear a target for a year at the most.');
  });

  it('on the public internet needs the name of its host once more', () => {
    expect(problem({ addresses: ['10.0.0.7', '8.8.4.4'] })).toContain('Type the name of its host once more');
    expect(problem({ addresses: ['8.8.4.4'], host: 'erp.company.example' })).toContain('erp-test.company.example');
    expect(problem({ addresses: ['8.8.4.4'], host: 'ERP-test.company.example' })).toBeNull();
    expect(problem({ origin: 'http://8.8.4.4', addresses: ['8.8.4.4'] })).toContain('is on the public internet');
  });

  it.each(['169.254.169.254', 'fd00:ec2::254', '::ffff:169.254.1.1', '0.0.0.0', '64:ff9b::10.0.0.1', 'nonsense'])(
    'is not cleared for %s, whoever says so',
    (address) => {
      expect(problem({ addresses: ['10.0.0.7', address] })).toContain(`is cleared for “${address}”, where nothing may be sent.`);
    },
  );

  it('that is the metadata service is refused by its name and by its address', () => {
    for (const never of ['http://169.254.169.254', 'http://metadata.google.internal', 'http://0xa9fea9fe'])
      expect(problem({ origin: never })).toContain(`Nothing is ever sent to ${never}`);
  });

  it('keeps the environment from being used, from being resolved and from being hit in the same way', () => {
    for (const [given, isFine] of [
      [environment(), true],
      [environment([]), false],
      [environment([clearance({ until: '2026-06-01' })]), false],
    ] as const) {
      expect(environmentProblem(given, now) === null).toBe(isFine);
      expect('origin' in resolveTarget(origin, given, now)).toBe(isFine);
      expect(allowsTarget(given, origin, now)).toBe(isFine);
    }
    expect(allowsTarget(environment([clearance()], []), origin, now)).toBe(false);
  });

  it('is not reached through a proxy, behind which nobody sees where a connection leads', () => {
    const proxied = { ...environment(), upstreamProxy: 'http://127.0.0.1:3128' };
    expect(environmentProblem(proxied, now)).toContain('cannot be tested through the proxy');
    expect(environmentProblem({ ...proxied, targets: ['http://127.0.0.1:1'] }, now)).toBeNull();
  });

  it.each([
    [{ by: ' ' }, 'Say who cleared the target.'],
    [{ for: '' }, 'Say what the target was cleared for.'],
    [{ until: 'soon' }, 'Write a day, such as 2026-12-31, or a time in ISO 8601.'],
    [{ until: '2026-02-30' }, 'Write a day'],
    [{ users: 0 }, ''],
    [{ requestsPerSecond: 0 }, ''],
  ])('is not cleared with %j', (more, sentence) => {
    const read = ClearanceSchema.safeParse({ origin, by: 'Mara', for: 'x', until: '2026-06-30', ...more });
    expect(read.error?.issues[0]?.message ?? '').toContain(sentence);
    expect(read.success).toBe(false);
  });
});

describe('the targets of an environment', () => {
  it('stand as this machine, as cleared with what was said, as once cleared, or as not cleared', () => {
    const targets = ['http://127.0.0.1:1', origin, 'http://old.company.example', 'http://new.company.example'];
    const clearances = [clearance({ users: 5, requestsPerSecond: 20 }), clearance({ origin: targets[2] ?? '', until: '2026-06-01' })];
    expect(targetStates({ targets, clearances }, now).map(({ standing, sentence }) => `${standing}: ${sentence}`)).toEqual([
      'here: It is on this machine and needs no clearance.',
      'cleared: Cleared by Mara until 2026-06-30 for: load test of release 4.2. At most 20 requests a second and 5 users.',
      expect.stringMatching(/^ended: The clearance of http:\/\/old\.company\.example by Mara ended on 2026-06-01\./),
      expect.stringMatching(/^not-cleared: http:\/\/new\.company\.example is not on this machine and is not cleared\./),
    ]);
    expect(targetStates({ targets: [origin], clearances: [clearance()] }, now)[0]?.sentence).toContain('No ceiling was set.');
  });
});

describe('a connection', () => {
  it('of a cleared target leads to the addresses for which it was cleared, however they are written', () => {
    const cleared = ['10.0.0.7', '2001:DB9::7'];
    for (const address of ['10.0.0.7', '::ffff:10.0.0.7', '2001:db9:0:0::7']) expect(addressProblem(origin, cleared, address)).toBeNull();
    for (const address of ['10.0.0.8', '127.0.0.1', '2001:db9::8', '8.8.8.8'])
      expect(addressProblem(origin, cleared, address)).toContain('for which it was not cleared (10.0.0.7, 2001:DB9::7).');
  });

  it('never leads where nothing is sent, whatever was cleared', () => {
    expect(addressProblem(origin, ['169.254.169.254'], '169.254.169.254')).toContain('where nothing is ever sent');
    expect(addressProblem(origin, ['10.0.0.7'], 'elsewhere')).toContain('no IP address');
  });

  it('of a name of this machine stays on this machine', () => {
    expect(addressProblem('http://localhost:1', [], '127.0.0.1')).toBeNull();
    expect(addressProblem('http://localhost:1', [], '::1')).toBeNull();
    expect(addressProblem('http://localhost:1', ['10.0.0.7'], '10.0.0.7')).toContain('which is not this machine');
  });

  it('of a target that was cleared without addresses leads nowhere', () => {
    expect(addressProblem(origin, [], '10.0.0.7')).toContain('(no address)');
  });
});

describe('an environment file', () => {
  const read = (text: string) => {
    const yaml = readYaml(text);
    if ('problems' in yaml) throw new Error('It is no YAML.');
    return EnvironmentFileSchema.parse(yaml.value);
  };

  it('names targets as text, or with who cleared them', () => {
    const file = read(`targets:
  - http://127.0.0.1:4701
  - origin: http://erp-test.company.example/
    cleared:
      by: Mara
      for: load test of release 4.2, agreed with operations
      until: 2026-06-30
      requestsPerSecond: 20
`);
    const given = environmentOfFile(file);
    expect(given.targets).toEqual(['http://127.0.0.1:4701', origin]);
    expect(given.clearances).toEqual([
      {
        origin,
        by: 'Mara',
        for: 'load test of release 4.2, agreed with operations',
        until: '2026-06-30',
        requestsPerSecond: 20,
        users: null,
        host: '',
        addresses: [],
      },
    ]);
    expect(environmentProblem(given, now)).toBeNull();
    expect(unclearedTarget(given)).toBeUndefined();
  });

  it('is given the lines that clear a target, and they can be read once a name is filled in', () => {
    const given = environmentOfFile(read(`targets:\n  - http://127.0.0.1:1\n  - ${origin}\n`));
    expect(unclearedTarget(given)).toBe(origin);
    const cleared = environmentOfFile(read(clearanceLines(origin, '2026-07-01')));
    expect(environmentProblem(cleared, now)).toBeNull();
    expect(cleared.clearances).toMatchObject([{ origin, until: '2026-07-01', requestsPerSecond: 10, users: 5 }]);
  });

  it('names targets of any scheme, and what it was written from comes back', () => {
    const targets = ['tcp://127.0.0.1:9100', 'postgres://erp-db.company.example:5432'];
    const given = { ...environment([clearance({ origin: targets[1] ?? '', users: 3 })], targets) };
    const back = environmentOfFile(EnvironmentFileSchema.parse({ targets: fileTargets(given) }));
    expect([back.targets, back.clearances]).toEqual([targets, [{ ...given.clearances[0], addresses: [] }]]);
  });

  it('refuses what a clearance does not know', () => {
    expect(() => read(`targets:\n  - origin: ${origin}\n    cleared: { by: M, for: x, until: 2026-06-30, speed: 3 }\n`)).toThrow();
  });
});
