import { ClearanceSchema } from '../environment/clearance.schema.js';
import { plainEnvironment } from '../environment/targets.js';
import type { RequestStep } from '../actions/index.js';
import type { Script } from '../script/script.schema.js';
import { targetForecast } from './target-forecast.js';
import type { Crew } from './workload.schema.js';

const erp = 'http://erp-test.company.example';
const now = Date.parse('2026-06-15T12:00:00Z');
const script = {
  id: 's',
  transactions: [
    { kind: 'transaction', id: 't', name: 'T', steps: [{ kind: 'request', id: 's1', origin: 'http://recorded:1' } as RequestStep] },
  ],
} as unknown as Script;
const crews = [{ scriptId: 's', users: 8 }] as Crew[];
const environment = {
  ...plainEnvironment({ id: 'e', projectId: 'p', name: 'Staging', targets: [erp] }),
  map: { 'http://recorded:1': erp },
  clearances: [
    ClearanceSchema.parse({
      origin: erp,
      by: 'Mara',
      for: 'x',
      until: '2026-06-30',
      addresses: ['10.0.0.7'],
      requestsPerSecond: 5,
      users: 10,
    }),
  ],
};
const predicted = (given = environment, requests = 400) => targetForecast({ crews }, [script], { requests, seconds: 100 }, given, now);

describe('where a run will go', () => {
  it('is told by the targets that stand for the recorded ones', () => {
    expect(predicted()).toEqual({ targets: [erp], obstacles: [], warnings: [] });
  });

  it('is prevented by a target that is none, by one that is not cleared, and by more users than were cleared', () => {
    expect(predicted({ ...environment, targets: [] }).obstacles).toEqual([
      expect.stringContaining('is not a target of the environment “Staging”'),
    ]);
    expect(predicted({ ...environment, clearances: [] }).obstacles).toEqual([expect.stringContaining('is not cleared')]);
    const [clearance] = environment.clearances;
    const forFew = { ...environment, clearances: clearance ? [{ ...clearance, users: 4 }] : [] };
    expect(predicted(forFew).obstacles).toEqual([
      expect.stringContaining('8 users would play at http://erp-test.company.example, which Mara cleared for 4'),
    ]);
  });

  it('will be held back where it would send more a second than was cleared', () => {
    expect(predicted(environment, 501).warnings).toEqual([
      expect.stringMatching(/^About 5\.0 requests a second would be sent to .*, which was cleared for 5\./),
    ]);
    expect(predicted(environment, 500).warnings).toEqual([]);
  });
});
