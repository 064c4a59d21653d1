import type { Driver } from './driver.js';
import { perform } from './perform.js';

const rules = { targets: ['tcp://127.0.0.1:9100'], cleared: {}, limits: { connectMs: 1, answerMs: 50 } };
const action = { origin: 'tcp://127.0.0.1:9100' };
/** A driver of which only this is known. */
const driverThat = (does: Driver['perform']): Driver & { asked: number } => {
  const driver = {
    asked: 0,
    perform: (given: Parameters<Driver['perform']>[0]) => {
      driver.asked++;
      return does(given);
    },
    reset: () => Promise.resolve(),
    close: () => Promise.resolve(),
  };
  return driver;
};
const never = () => new Promise<never>(() => undefined);

describe('performing an action, whatever its kind', () => {
  it('never hands a driver what goes to a target that is not allowed', async () => {
    const driver = driverThat(never);
    const { failure } = await perform(driver, { origin: 'tcp://127.0.0.1:9101' }, rules);
    expect([failure?.code, driver.asked]).toEqual(['target-not-allowed', 0]);
  });

  it('gives up a driver that does not answer, and hears nothing of what it says later', async () => {
    let later: (() => void) | undefined;
    const driver = driverThat(
      () =>
        new Promise((resolve) => {
          later = () => {
            resolve({ failure: null, durationMs: 1, phases: {}, bytesIn: 0, bytesOut: 0, observation: 'late' });
          };
        }),
    );
    const outcome = perform(driver, action, rules);
    const { failure, observation } = await outcome;
    later?.();
    expect([failure?.code, observation]).toEqual(['answer-timed-out', null]);
    expect((await outcome).observation).toBeNull();
  });

  it('takes a driver that fails as a failure like any other', async () => {
    const { failure, observation } = await perform(
      driverThat(() => Promise.reject(new Error('The pipe is gone.'))),
      action,
      rules,
    );
    expect([failure, observation]).toEqual([{ code: 'not-sent', subject: '', text: 'The pipe is gone.' }, null]);
  });
});
