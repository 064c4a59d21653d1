import seedrandom from 'seedrandom';
import { findingsOf, plainRules, type FindingGround, type UserFigures } from '../index.js';
import { simulate } from '../test/closed-system.js';
import { prepareGround } from './ground.js';
import { failingUsers } from './kinds/users.js';

const run = simulate({
  workers: 2,
  serviceSeconds: 0.04,
  thinkSeconds: 0.3,
  users: 4,
  curve: { kind: 'at-once', holdSeconds: 60, rampDownSeconds: 0, atEnd: 'iteration' },
  seed: 'a',
});
const users = (failures: readonly number[], samples = 200): UserFigures[] =>
  failures.map((failed, at) => ({ user: at + 1, crew: 'c', iterations: 10, samples, failures: failed, meanMs: 40, maxMs: 90 }));
const given: FindingGround = {
  run: run.run,
  frames: run.frames,
  hosts: [],
  scripts: run.scripts,
  rules: plainRules,
  capacityPercent: null,
  baseline: null,
  random: () => 0.5,
};
const ground = prepareGround(given);
const told = (figures: UserFigures[]) =>
  findingsOf({ ...given, users: figures }).find(({ id }) => id === 'users failing')?.sentence ?? null;

describe('users who fail', () => {
  it('are told where one fails more often than the others by more than chance, with figures of both', () => {
    expect(told(users([1, 0, 60, 2, 1, 0, 1, 2]))).toBe(
      'User 3 fails more often than chance explains: 60 of 200 samples (30.0 %), the others 7 of 1,400 samples (0.5 %).',
    );
    expect(told(users([0, 0, 50, 0, 0, 40, 0, 0]))).toContain('Users 3, 6 fail');
  });

  it('are not told where chance is enough, where most of them fail, where there is one alone, or none fails', () => {
    expect(told(users([3, 5, 4, 6, 2, 4, 7, 3]))).toBeNull();
    expect(told(users([60, 60, 60, 60, 60, 0, 0, 0]))).toBeNull();
    expect(told(users([60]))).toBeNull();
    expect(told(users([0, 0, 0]))).toBeNull();
  });

  it('are told by chance in no more of the runs in which all fail alike than the rules allow', () => {
    const random = seedrandom('alike');
    const trials = 400;
    let wrong = 0;
    for (let trial = 0; trial < trials; trial++) {
      const failures = Array.from({ length: 20 }, () => Array.from({ length: 200 }, () => random()).filter((drawn) => drawn < 0.05).length);
      if (failingUsers({ ...ground, users: users(failures) }).length > 0) wrong++;
    }
    // One in a hundred is allowed; twice as many of 400 come about in less than three of a hundred repetitions (Poisson, mean 4).
    expect(wrong).toBeLessThanOrEqual(8);
  });
});
