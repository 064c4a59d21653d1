import type { CountedTake, Rehearsal, Run, Script } from '@sturdy/core';
import { nextStop, pathScript, pathStops, type PathFacts, type Walk } from './stops';

const take = { id: 't1', name: 'Book intake, take 1' } as CountedTake;
const script = (id: string, handoffs = 0) =>
  ({ id, name: 'Book intake', takeId: 't1', handoffs: Array(handoffs).fill({}) as unknown }) as unknown as Script;
const rehearsal = (scriptId: string, verdict: Rehearsal['verdict'], state?: 'proven') =>
  ({ scriptId, verdict, ...(state && { proof: { state } }) }) as unknown as Rehearsal;
const run = (id: string, scriptId: string) => ({ id, workload: { crews: [{ scriptId }] } }) as unknown as Run;
const walk: Walk = { before: ['old'], runsBefore: ['r0'], reached: [] };
const facts: PathFacts = {
  takes: [],
  scripts: [script('old', 9)],
  rehearsals: [rehearsal('old', 'passed', 'proven')],
  runs: [run('r0', 'old')],
};
const next = (change: Partial<PathFacts>, from = walk) => nextStop(pathStops(from, { ...facts, ...change }));

describe('the path of a first visit', () => {
  it('begins with a take, and with what is made on it: what was there before counts for nothing', () => {
    expect(next({})).toMatchObject({ name: 'record', link: '/takes/record' });
    expect(next({ takes: [take] })).toMatchObject({
      name: 'fail',
      link: '/takes/t1',
      text: expect.stringContaining('make a script of it') as string,
    });
    const scripts = [...facts.scripts, script('new')];
    expect(pathScript(walk, scripts)?.id).toBe('new');
    expect(next({ takes: [take], scripts })).toMatchObject({
      name: 'fail',
      link: '/scripts/new',
      text: expect.stringContaining('Press “Rehearse”') as string,
    });
  });

  it('goes on as the script comes further, and ends with a run of it', () => {
    const made = { takes: [take], scripts: [...facts.scripts, script('new')] };
    const failed = [rehearsal('new', 'failed')];
    expect(next({ ...made, rehearsals: failed })).toMatchObject({ name: 'why', link: '/scripts/new/rehearsal' });
    const seen: Walk = { ...walk, reached: ['why'] };
    expect(next({ ...made, rehearsals: failed }, seen)?.name).toBe('repair');
    const repaired = { takes: [take], scripts: [...facts.scripts, script('new', 9)] };
    expect(next({ ...repaired, rehearsals: failed }, seen)?.name).toBe('pass');
    const passed = [rehearsal('new', 'passed', 'proven'), ...failed];
    expect(next({ ...repaired, rehearsals: passed }, seen)).toMatchObject({ name: 'load', link: '/workloads' });
    expect(next({ ...repaired, rehearsals: passed, runs: [run('r1', 'old')] }, seen)?.name).toBe('load');
    expect(next({ ...repaired, rehearsals: passed, runs: [run('r1', 'new')] }, seen)).toBeUndefined();
  });

  it('never goes back: a stop that was reached stays so, and later ones leave those before behind', () => {
    const reached: Walk = { ...walk, reached: ['record', 'fail', 'why', 'repair', 'pass'] };
    expect(
      next({ takes: [take], scripts: [...facts.scripts, script('new', 9)], rehearsals: [rehearsal('new', 'failed')] }, reached)?.name,
    ).toBe('load');
    // A script that passes at once has nothing to see in its failure.
    expect(
      next({ takes: [take], scripts: [...facts.scripts, script('new')], rehearsals: [rehearsal('new', 'passed', 'proven')] })?.name,
    ).toBe('load');
  });
});
