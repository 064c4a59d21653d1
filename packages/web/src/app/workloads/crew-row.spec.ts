import type { Crew } from '@sturdy/core';
import { heard, render } from '../test/render';
import { CrewRow } from './crew-row';

const plain: Crew = {
  id: 'c',
  name: 'Intake',
  scriptId: 's1',
  users: 20,
  think: { kind: 'recorded', factor: 1, ms: 0, capMs: 60_000 },
  pacing: { kind: 'start-to-start', seconds: 60 },
  onFailure: 'next-iteration',
};

/** A row over a crew; what it changes comes back into it. */
function row(more: Partial<Crew> = {}, inputs: Record<string, unknown> = {}) {
  let crew: Crew = { ...plain, ...more };
  const scripts = [
    { id: 's1', name: 'Book' },
    { id: 's2', name: 'Ask' },
  ];
  const rendered = render(CrewRow, { crew, scripts, curve: 'ramp', ...inputs });
  const changes = heard(rendered.component.changed);
  rendered.component.changed.subscribe((change) => {
    crew = { ...crew, ...change };
    rendered.give({ crew });
  });
  return { ...rendered, changes, last: () => changes.at(-1) };
}

describe('a crew', () => {
  it('comes to as many iterations an hour as its users and its pacing give (R = 3600 N / P)', () => {
    const { field } = row();
    expect(field('Rate, an hour').value).toBe('1200');
  });

  it('is sized for a rate: users where it has a pacing (N = R P / 3600, rounded up)', () => {
    const { enter, last } = row();
    enter('Rate, an hour', '430');
    expect(last()).toEqual({ users: 8 });
  });

  it('is sized for a rate: the pacing where it has none', () => {
    const { enter, last } = row({ pacing: { kind: 'none', seconds: 0 } });
    enter('Rate, an hour', '720');
    expect(last()).toEqual({ pacing: { kind: 'start-to-start', seconds: 100 } });
  });

  it('is sized by its pacing where its users follow from shares', () => {
    const { enter, last, text } = row({ sharePercent: 40 }, { byShares: true });
    expect(text()).toContain('20 users ·');
    enter('Share, %', '55');
    expect(last()).toEqual({ sharePercent: 55 });
    enter('Rate, an hour', '720');
    expect(last()).toEqual({ pacing: { kind: 'start-to-start', seconds: 100 } });
  });

  it('without a pacing has no rate while nobody knows how long an iteration takes', () => {
    const none = row({ pacing: { kind: 'none', seconds: 0 } });
    expect(none.field('Rate, an hour').value).toBe('');
    none.give({ forecast: { iterationSeconds: 30 } });
    expect(none.field('Rate, an hour').value).toBe('2400');
  });

  it('that arrives has starts an hour and a most of users, no pacing and no number of iterations', () => {
    const { enter, last, element, click } = row({ ratePerHour: 100, iterations: 3, startDelayMs: 50 }, { curve: 'arrivals' });
    click('More');
    const labels = [...element.querySelectorAll('label')].map((label) => label.textContent.trim());
    expect(labels.some((label) => label.startsWith('Users at most'))).toBe(true);
    expect(labels.some((label) => /^(Iterations|Rate|Between users|Pacing)/.test(label))).toBe(false);
    enter('Starts an hour', '420');
    expect(last()).toEqual({ ratePerHour: 420 });
    expect(element.textContent).not.toContain('iterations each');
  });

  it('says what is set behind its button while that is closed', () => {
    const { text } = row({
      think: { kind: 'none', factor: 1, ms: 0, capMs: 0 },
      onFailure: 'stop-user',
      iterations: 3,
      startDelayMs: 50,
      line: { latencyMs: 80, downKbps: null, upKbps: null },
      browser: { cache: 'warm', connections: 6, languages: '', userAgent: '', filesSideBySide: false },
    });
    expect(text()).toContain(
      'pauses none · after a failed step stop this user · 3 iterations each · over a slower line · warm cache · started 50 ms apart',
    );
    expect(row().text()).toContain('pauses as recorded, 60 s at most');
  });

  it('shows the figures of its pauses by their kind', () => {
    const { click, enter, element, last } = row();
    click('More');
    const has = (label: string) => [...element.querySelectorAll('label')].some((shown) => shown.textContent.trim().startsWith(label));
    expect([has('Factor'), has('Pause, ms'), has('At most, ms')]).toEqual([false, false, true]);
    enter('Pauses', 'scaled');
    enter('Factor', '0.5');
    expect(last()).toEqual({ think: { kind: 'scaled', factor: 0.5, ms: 0, capMs: 60_000 } });
    enter('Pauses', 'none');
    expect([has('Factor'), has('At most, ms'), has('Spread')]).toEqual([false, false, false]);
  });

  it('spreads pauses evenly or as people are, and not at all again', () => {
    const { click, enter, last } = row();
    click('More');
    enter('Spread', 'log-normal');
    enter('Sigma', '0.6');
    expect(last()).toMatchObject({ think: { spread: { kind: 'log-normal', sigma: 0.6 } } });
    enter('Spread', 'uniform');
    expect(last()).toMatchObject({ think: { spread: { kind: 'uniform', percent: 30 } } });
    enter('Spread', '');
    expect(last()?.think).toEqual(plain.think);
  });

  it('keeps other time limits when one is changed, and drops that of the first byte for 0', () => {
    const { click, enter, last } = row();
    click('More');
    enter('To first byte, ms', '5000');
    expect(last()).toEqual({ timeouts: { connectMs: 10_000, answerMs: 60_000, firstByteMs: 5000 } });
    enter('To connect, ms', '2000');
    expect(last()).toEqual({ timeouts: { connectMs: 2000, answerMs: 60_000, firstByteMs: 5000 } });
    enter('To first byte, ms', '0');
    expect(last()).toEqual({ timeouts: { connectMs: 2000, answerMs: 60_000 } });
  });

  it('has a line as fast as it goes where a speed is set to 0', () => {
    const { click, enter, last } = row({ line: { latencyMs: 40, downKbps: 2000, upKbps: 500 } });
    click('More');
    enter('Download, kbit/s', '0');
    expect(last()).toEqual({ line: { latencyMs: 40, downKbps: null, upKbps: 500 } });
  });

  it('plays without end where no number of iterations is set', () => {
    const { click, enter, last } = row({ iterations: 4 });
    click('More');
    enter('Iterations each', '');
    expect(last()).toEqual({ iterations: null });
  });

  it('is like the browser that is set', () => {
    const { click, enter, last, element } = row();
    click('More');
    enter('Cache', 'cold');
    expect(last()).toMatchObject({ browser: { cache: 'cold' } });
    element.querySelector<HTMLInputElement>('input[type=checkbox]')?.click();
    expect(last()).toMatchObject({ browser: { cache: 'cold', filesSideBySide: true } });
  });

  it('is removed by its name', () => {
    const { component, click } = row();
    const removed = heard(component.removed);
    click('Remove the crew Intake');
    expect(removed).toHaveLength(1);
  });
});
