import { Visitors } from './visitors.js';

describe('Visitors of the recording proxy', () => {
  it('are listed by address with what they did, the newest first', () => {
    let second = 0;
    const visitors = new Visitors(() => new Date(Date.UTC(2026, 10, 23, 10, 0, second++)));
    visitors.asked('10.0.0.2', 'Tablet', 'password');
    visitors.asked('10.0.0.2', undefined, 'in');
    visitors.asked('10.0.0.2', 'Tablet', 'in');
    for (let n = 0; n < 3; n++) visitors.asked('10.0.0.9', 'guesser', 'wrong');
    expect(visitors.asked('10.0.0.9', 'guesser', 'shut')).toBe(true);
    expect(visitors.asked('10.0.0.9', 'guesser', 'shut')).toBe(false);
    expect(visitors.list()).toEqual([
      {
        address: '10.0.0.9',
        agent: 'guesser',
        since: '2026-11-23T10:00:03.000Z',
        lastAt: '2026-11-23T10:00:07.000Z',
        requests: 0,
        refused: 5,
        isShutOut: true,
      },
      {
        address: '10.0.0.2',
        agent: 'Tablet',
        since: '2026-11-23T10:00:00.000Z',
        lastAt: '2026-11-23T10:00:02.000Z',
        requests: 2,
        refused: 0,
        isShutOut: false,
      },
    ]);
  });

  it('are counted by what they asked, not by the tunnels that they opened for it', () => {
    const visitors = new Visitors();
    visitors.asked('10.0.0.2', undefined, 'tunnel');
    expect(visitors.list()).toMatchObject([{ requests: 0, refused: 0, agent: '' }]);
    visitors.asked('10.0.0.2', 'Tablet', 'in');
    expect(visitors.list()).toMatchObject([{ requests: 1, refused: 0, agent: 'Tablet' }]);
  });

  it('are forgotten where there are too many, the longest silent ones first', () => {
    const visitors = new Visitors();
    for (let n = 0; n < 300; n++) visitors.asked(`10.0.${n >> 8}.${n & 255}`, 'x'.repeat(5000), 'in');
    expect(visitors.list()).toHaveLength(200);
    expect(visitors.list()[0]).toMatchObject({ address: '10.0.1.43', agent: 'x'.repeat(200) });
  });
});
