import { ClearanceSchema } from '../environment/index.js';
import type { RequestStep } from '../actions/index.js';
import type { Script } from '../script/index.js';
import { usersProblem } from './user-ceilings.js';

const origin = 'http://erp-test.company.example';
const script = (id: string, to: string) =>
  ({
    id,
    transactions: [{ kind: 'transaction', id: 't', name: 'T', steps: [{ kind: 'request', id: 's', origin: to } as RequestStep] }],
  }) as Script;
const scripts = [script('erp', origin), script('recorded', 'http://old'), script('here', 'http://127.0.0.1:1')];
const environment = (users: number | null) => ({
  clearances: [ClearanceSchema.parse({ origin, by: 'Mara', for: 'x', until: '2026-06-30', users })],
  map: { 'http://old': origin },
});
const crews = (...users: [string, number][]) => users.map(([scriptId, count]) => ({ scriptId, users: count }));

describe('users of a run', () => {
  it('are as many as the target was cleared for, those of all crews that go there, by whichever origin they were recorded', () => {
    expect(usersProblem(environment(10), crews(['erp', 6], ['recorded', 4], ['here', 500]), scripts)).toBeNull();
    expect(usersProblem(environment(10), crews(['erp', 6], ['recorded', 5]), scripts)).toBe(
      `11 users would play at ${origin}, which Mara cleared for 10. Play fewer, or have it cleared for more.`,
    );
  });

  it('are as many as are wanted where the clearance names none, or nobody goes there', () => {
    expect(usersProblem(environment(null), crews(['erp', 5000]), scripts)).toBeNull();
    expect(usersProblem(environment(1), crews(['here', 5000]), scripts)).toBeNull();
  });
});
