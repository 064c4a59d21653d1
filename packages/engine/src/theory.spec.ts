import { machineRepairman, Tally, totalsOf } from '@sturdy/core';
import { startYard } from '@sturdy/standins';
import { crew, environment, play, script, step } from './test/plans.js';

describe('engine against theory', () => {
  const workers = 2;
  const serviceSeconds = 0.04;
  const thinkSeconds = 0.3;
  // Closed model M/M/c//N (Kleinrock, Queueing Systems I, 1975, 3.8); the think time may have any distribution.
  it.each([4, 12, 24])('shows throughput and response time of the closed model within 10 % with %i users', async (users) => {
    const yard = await startYard({
      port: 0,
      workers,
      serviceMeanMs: serviceSeconds * 1000,
      serviceDistribution: 'exponential',
      seed: users,
    });
    const frames = await play({
      scripts: [script([step('s1', yard.origin, '/'), { kind: 'pause', id: 'p1', ms: thinkSeconds * 1000 }])],
      crews: [crew(users)],
      curve: { rampUpSeconds: 1, holdSeconds: 26, rampDownSeconds: 0, atEnd: 'iteration' },
      environment: environment(yard.origin),
    });
    await yard.stop();
    const period = { fromSecond: 3, toSecond: 27 };
    const measured = (totalsOf(frames, period).transactions.get('T') ?? new Tally()).summary(period.toSecond - period.fromSecond);
    const told = machineRepairman(users, workers, serviceSeconds, thinkSeconds);
    process.stdout.write(
      `${users} users: throughput ${measured.throughput.toFixed(2)} a second (model ${told.throughput.toFixed(2)}), response ${measured.meanMs.toFixed(1)} ms (model ${(told.responseSeconds * 1000).toFixed(1)})\n`,
    );
    expect(Math.abs(measured.throughput / told.throughput - 1)).toBeLessThan(0.1);
    expect(Math.abs(measured.meanMs / (told.responseSeconds * 1000) - 1)).toBeLessThan(0.1);
  });
});
