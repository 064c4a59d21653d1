import type { Rehearsal, RehearsalWish } from '@sturdy/core';
import { RehearsalUnderWay } from './under-way.js';

const script = { projectId: 'p1', name: 'Book intake' };
const wish = (change: Partial<RehearsalWish> = {}): RehearsalWish => ({ mode: 'through', until: null, twice: false, rows: [], ...change });
const at = (step: string) => () => Promise.resolve({ id: 'r', waitingAt: step } as unknown as Rehearsal);
const played = (...steps: string[]) => new Set(steps);

describe('a rehearsal under way', () => {
  it('plays straight through, asking for nothing', async () => {
    const underWay = new RehearsalUnderWay(wish(), true, script);
    let asked = 0;
    for (const step of ['s1', 's2'])
      expect(
        await underWay.gate(played(), () => {
          asked++;
          return at(step)();
        }),
      ).toBe('go');
    expect(asked).toBe(0);
  });

  it('waits before each step, tells what is known, and goes on when it is told to', async () => {
    const underWay = new RehearsalUnderWay(wish({ mode: 'step' }), true, script);
    const first = underWay.next();
    const gate = underWay.gate(played(), at('s1'));
    expect((await first).waitingAt).toBe('s1');
    expect(underWay.waiting?.waitingAt).toBe('s1');
    underWay.command('step');
    expect(await gate).toBe('go');
    expect(underWay.waiting).toBeNull();
    const second = underWay.next();
    const next = underWay.gate(played('s1'), at('s2'));
    expect((await second).waitingAt).toBe('s2');
    underWay.command('go');
    expect(await next).toBe('go');
    expect(await underWay.gate(played('s1', 's2'), at('s3'))).toBe('go');
  });

  it('is paused before its next step, and ended where it waits', async () => {
    const underWay = new RehearsalUnderWay(wish(), true, script);
    underWay.command('pause');
    const next = underWay.next();
    const gate = underWay.gate(played('s1'), at('s2'));
    expect((await next).waitingAt).toBe('s2');
    underWay.command('end');
    expect(await gate).toBe('end');
    expect(await underWay.gate(played('s1'), at('s3'))).toBe('end');
  });

  it('ends after the last step that was wanted, and not before', async () => {
    const underWay = new RehearsalUnderWay(wish({ until: 's2' }), true, script);
    expect(await underWay.gate(played('s1'), at('s2'))).toBe('go');
    expect(await underWay.gate(played('s1', 's2'), at('s3'))).toBe('end');
  });

  it('tells everyone who asked of its end, or of what went wrong', async () => {
    const good = new RehearsalUnderWay(wish(), true, script);
    const asked = [good.next(), good.next()];
    good.ended({ id: 'r' } as unknown as Rehearsal);
    expect(await Promise.all(asked)).toEqual([{ id: 'r' }, { id: 'r' }]);
    const bad = new RehearsalUnderWay(wish(), true, script);
    const waiting = bad.next();
    bad.failed(new Error('the disk is full'));
    await expect(waiting).rejects.toThrow('the disk is full');
  });
});
