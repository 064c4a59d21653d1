import { compareEnvironments } from './compare-environments.js';
import { plainEnvironment } from './targets.js';

describe('two environments', () => {
  const left = {
    ...plainEnvironment({ id: 'e1', projectId: 'p', name: 'Staging', targets: ['http://127.0.0.1:1', 'http://127.0.0.1:2'] }),
    variables: { tenant: 'harbour', key: 'medlar' },
    secretVariables: ['key'],
    credentials: [{ kind: 'basic' as const, origin: '*', user: 'kim', password: 'quince' }],
  };

  it('that are the same differ in nothing', () => {
    expect(compareEnvironments(left, structuredClone(left))).toEqual([]);
  });

  it('differ in what one has and the other has not, or has otherwise, and show no secret', () => {
    const right = {
      ...left,
      name: 'Half of production',
      productionLike: true,
      targets: ['http://127.0.0.1:1', 'http://127.0.0.1:3'],
      map: { 'http://127.0.0.1:2': 'http://127.0.0.1:3' },
      variables: { tenant: 'quay', key: 'sloe' },
      credentials: [{ kind: 'basic' as const, origin: '*', user: 'ann', password: 'damson' }],
      failureSigns: [{ kind: 'text' as const, text: 'Try again later' }],
    };
    const differences = compareEnvironments(left, right);
    expect(differences.map(({ what, left: one, right: other }) => [what, one, other])).toEqual([
      ['Name', 'Staging', 'Half of production'],
      ['Production-like', 'no', 'yes'],
      ['Target http://127.0.0.1:2', 'allowed', ''],
      ['Sign-in at all targets', 'basic, kim', 'basic, ann'],
      ['Variable tenant', 'harbour', 'quay'],
      ['Target http://127.0.0.1:3', '', 'allowed'],
      ['Instead of http://127.0.0.1:2', '', 'http://127.0.0.1:3'],
      ['Failure sign “Try again later”', '', 'set'],
    ]);
    expect(JSON.stringify(differences)).not.toMatch(/quince|damson|medlar|sloe/);
  });
});
