import { RowSupply } from './row-supply.js';

describe('row supply', () => {
  it('hands every leased row out once and knows the unused ones', async () => {
    const asked: number[] = [];
    const supply = new RowSupply(4, (count) => asked.push(count));
    const waiting = [supply.deal(), supply.deal()];
    supply.arrive(
      [1, 2, 3, 4].map((row) => ({ row, values: [] })),
      'perhaps',
    );
    expect((await Promise.all(waiting)).map((row) => row?.row)).toEqual([1, 2]);
    expect((await supply.deal())?.row).toBe(3);
    expect(supply.unused()).toEqual([4]);
    expect(supply.unused()).toEqual([]);
    const last = supply.deal();
    supply.arrive([], 'none-left');
    expect(await last).toBeNull();
    expect(asked).toEqual([4, 4]);
  });
});

describe('a row supply that gets none now', () => {
  it('asks again, and deals what it gets then', async () => {
    const asked: number[] = [];
    const supply = new RowSupply(2, (count) => asked.push(count));
    const waiting = supply.deal();
    supply.arrive([], 'not-now');
    while (asked.length < 2) await new Promise((done) => setTimeout(done, 20));
    supply.arrive([{ row: 7, values: [] }], 'perhaps');
    expect((await waiting)?.row).toBe(7);
  });

  it('lets whoever waits go without once the run ends', async () => {
    const supply = new RowSupply(2, () => undefined);
    const waiting = supply.deal();
    supply.arrive([], 'not-now');
    supply.waitNoLonger();
    expect(await waiting).toBeNull();
    const late = new RowSupply(2, () => undefined);
    const waitingStill = late.deal();
    late.waitNoLonger();
    late.arrive([], 'not-now');
    expect(await waitingStill).toBeNull();
  });
});

describe('a row supply that is abandoned', () => {
  it('lets everybody go who waits for rows that may never come, and who comes later', async () => {
    const supply = new RowSupply(2, () => undefined);
    const waiting = [supply.deal(), supply.deal()];
    supply.abandon();
    expect(await Promise.all([...waiting, supply.deal()])).toEqual([null, null, null]);
  });
});

describe('the end of a row supply', () => {
  it('waits for rows that are on their way, so that they can be given back, and not for ever', async () => {
    const supply = new RowSupply(2, () => undefined);
    const dealt = supply.deal();
    supply.arrive(
      [1, 2].map((row) => ({ row, values: [] })),
      'perhaps',
    );
    expect((await dealt)?.row).toBe(1);
    expect((await supply.deal())?.row).toBe(2);
    const settled = supply.settled(10_000);
    supply.arrive(
      [3, 4].map((row) => ({ row, values: [] })),
      'perhaps',
    );
    await settled;
    expect(supply.unused()).toEqual([3, 4]);
    const never = new RowSupply(2, () => undefined);
    void never.deal();
    const started = performance.now();
    await never.settled(50);
    expect(performance.now() - started).toBeGreaterThan(40);
  });
});
