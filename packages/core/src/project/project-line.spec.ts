import { projectLine, type ProjectSummary } from '../index.js';

const summary = (more: Partial<ProjectSummary>): ProjectSummary => ({
  id: 'p1',
  name: 'Tidewell release 4.2',
  state: 'active',
  takes: 0,
  workloads: 0,
  runs: 0,
  rehearsals: [],
  lastRun: null,
  ...more,
});
const lastRun = { id: 'r', number: 4, state: 'done', verdict: 'held', startedAt: '2026-11-30T10:00:00Z', workload: 'Peak hour' } as const;
const passed = { verdict: 'passed' } as const;

describe('the line of a project', () => {
  it.each([
    ['nothing was recorded', {}, 'none', 'Nothing recorded yet'],
    ['takes alone', { takes: 2 }, 'none', '2 takes, no script yet'],
    ['a script that nobody rehearsed', { takes: 2, rehearsals: [null] }, 'none', '0 of 1 script passes the rehearsal'],
    ['one that fails', { rehearsals: [{ verdict: 'failed' }, passed] }, 'failed', '1 of 2 scripts passes the rehearsal'],
    ['all pass', { rehearsals: [passed, passed], workloads: 1 }, 'passed', '2 of 2 scripts pass the rehearsal; 1 workload, never run'],
    ['its last run counts most', { rehearsals: [null], lastRun }, 'passed', 'Run 4, Peak hour: criteria held'],
    ['a run that missed', { lastRun: { ...lastRun, verdict: 'missed' } }, 'failed', 'Run 4, Peak hour: criteria missed'],
    ['a run without criteria', { lastRun: { ...lastRun, verdict: 'none', state: 'aborted' } }, 'drifted', 'Run 4, Peak hour: aborted'],
  ] satisfies [string, Partial<ProjectSummary>, string, string][])('says how far it is: %s', (_, more, shape, text) => {
    expect(projectLine(summary(more))).toEqual({ shape, text });
  });
});
