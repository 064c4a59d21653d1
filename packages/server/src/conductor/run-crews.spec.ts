import type { Workload } from '@sturdy/core';
import { RunCrews } from './run-crews.js';

const workload = {
  crews: [
    { id: 'desk', users: 4 },
    { id: 'gate', users: 2 },
  ],
} as Workload;
/** Users 1 to 4 of the desk and 5 to 6 of the gate, dealt out over two generators. */
const plan = (generator: number, desk: number[], gate: number[]) => ({
  generator,
  crews: [
    { crew: { id: 'desk' }, users: desk.map((user) => ({ place: user - 1, user })) },
    { crew: { id: 'gate' }, users: gate.map((user) => ({ place: user - 5, user })) },
  ],
});
const crews = () =>
  new RunCrews(workload, [plan(0, [1, 3], [5]), plan(1, [2, 4], [6])] as unknown as ConstructorParameters<typeof RunCrews>[1]);

describe('the crews of a run', () => {
  it('know how many they are, together and apart', () => {
    expect([crews().count, crews().sizeOf('desk'), crews().sizeOf('gate'), crews().sizeOf('none')]).toEqual([6, 4, 2, undefined]);
  });

  it('grow by users with numbers and places of their own, dealt out over the generators that are there', () => {
    const runCrews = crews();
    const changes = runCrews.resize('desk', 7, [0, 1]);
    expect(changes.flatMap(({ come }) => come.map(({ user }) => user)).sort()).toEqual([7, 8, 9]);
    expect(changes.flatMap(({ come }) => come.map(({ place }) => place)).sort()).toEqual([4, 5, 6]);
    expect(changes.every(({ come }) => come.length > 0)).toBe(true);
    expect([runCrews.count, runCrews.sizeOf('desk')]).toEqual([9, 7]);
    // A number is never given twice, also where those who had it went home.
    runCrews.resize('desk', 4, [0, 1]);
    expect(runCrews.resize('gate', 3, [1]).flatMap(({ come }) => come)).toEqual([{ place: 2, user: 10 }]);
  });

  it('shrink by those who came last, each told to the generator that plays it', () => {
    const runCrews = crews();
    runCrews.resize('desk', 5, [1]);
    const changes = runCrews.resize('desk', 2, [0, 1]);
    expect(changes.flatMap(({ come }) => come)).toEqual([]);
    expect(changes.flatMap(({ go }) => go)).toHaveLength(3);
    // Users that came before the run stand in the order of the plans.
    expect(runCrews.sizeOf('desk')).toBe(2);
  });

  it('lose the users of a generator that is lost, or hand them over, nobody twice', () => {
    const dropped = crews();
    expect([dropped.drop(0), dropped.count, dropped.drop(0)]).toEqual([3, 3, 0]);
    const kept = crews();
    const handed = kept.handOver(0, [1]);
    expect(handed.flatMap(({ crew, heir, come }) => come.map(({ user }) => [crew, heir, user]))).toEqual([
      ['desk', 1, 1],
      ['desk', 1, 3],
      ['gate', 1, 5],
    ]);
    expect([kept.count, kept.drop(1)]).toEqual([6, 6]);
  });
});
