import { ChangeDetectionStrategy, Component, input, output } from '@angular/core';
import { TestBed } from '@angular/core/testing';
import type { LoadCurve, Workload } from '@sturdy/core';
import { Chart } from '../shared/chart';
import { heard, render } from '../test/render';
import { CurveCard } from './curve-card';

/** Stands in for the chart, which needs a canvas. */
@Component({ selector: 'app-chart', changeDetection: ChangeDetectionStrategy.OnPush, template: '' })
class NoChart {
  readonly options = input();
  readonly label = input('');
  readonly handles = input<readonly unknown[]>([]);
  readonly dragged = output<{ at: number; x: number; y: number }>();
  readonly dragging = output<boolean>();
  readonly placed = output<{ x: number; y: number }>();
}

const ramp: LoadCurve = { kind: 'ramp', together: 2, rampUpSeconds: 20, holdSeconds: 60, rampDownSeconds: 10, atEnd: 'iteration' };
const drawn: LoadCurve = {
  kind: 'drawn',
  points: [
    { seconds: 0, percent: 0 },
    { seconds: 60, percent: 100 },
  ],
  atEnd: 'iteration',
};
const workload = (curve: LoadCurve, users = 20) =>
  ({
    id: 'w',
    name: 'W',
    curve,
    crews: [{ id: 'c', name: 'Intake', users, ratePerHour: 420, pacing: { kind: 'none', seconds: 0 } }],
    criteria: [],
  }) as unknown as Workload;

/** The card over a workload; what it changes comes back into it. */
function card(curve: LoadCurve, users?: number) {
  TestBed.overrideComponent(CurveCard, { remove: { imports: [Chart] }, add: { imports: [NoChart] } });
  const rendered = render(CurveCard, { workload: workload(curve, users) });
  const changes = heard(rendered.component.changed);
  rendered.component.changed.subscribe((changed) => {
    rendered.give({ workload: workload(changed, users) });
  });
  return { ...rendered, changes, last: () => changes.at(-1) };
}

/** A paste of what a spreadsheet puts on the clipboard; jsdom has no clipboard of its own. */
function pasted(text: string): Event {
  return Object.assign(new Event('paste', { bubbles: true, cancelable: true }), { clipboardData: { getData: () => text } });
}

describe('the card of a curve', () => {
  it('offers the figures of its kind, and those of no other', () => {
    const { element, click } = card(ramp);
    const labels = () => [...element.querySelectorAll('.fields label')].map((label) => label.textContent.trim().split(/\s{2,}/)[0]);
    expect(labels().slice(0, 4)).toEqual(['Ramp-up, s', 'Together', 'Hold, s', 'Ramp-down, s']);
    click('Staircase');
    expect(labels().slice(0, 4)).toEqual(['Begin with', 'Add each time', 'Hold each, s', 'Ramp-down, s']);
    click('Arrivals');
    expect(labels()[3]).toMatch(/^They come/);
    click('All at once');
    expect(labels().slice(0, 2)).toEqual(['Hold, s', 'Ramp-down, s']);
  });

  it('says what a kind is for, and which one it is', () => {
    const { text, button, click } = card(ramp);
    click('Staircase');
    expect(text()).toContain('shows from which load on service turns');
    expect(['Ramp', 'Staircase'].map((kind) => button(kind).getAttribute('aria-pressed'))).toEqual(['false', 'true']);
  });

  it('keeps the hold where another kind has one, too', () => {
    const { click, last } = card(ramp);
    click('All at once');
    expect(last()).toMatchObject({ kind: 'at-once', holdSeconds: 60, atEnd: 'iteration' });
  });

  it('changes one figure and leaves the others', () => {
    const { enter, last } = card(ramp);
    enter('Hold, s', '90');
    expect(last()).toEqual({ ...ramp, holdSeconds: 90 });
    enter('At the end', 'now');
    expect(last()).toEqual({ ...ramp, holdSeconds: 90, atEnd: 'now' });
  });

  it('takes no figure that is out of its range', () => {
    const { enter, changes, field } = card(ramp);
    enter('Hold, s', '0');
    expect(changes).toEqual([]);
    expect(field('Hold, s').value).toBe('60');
  });

  it('has handles at the corners of a ramp, on the line, which move sideways only', () => {
    const { component } = card(ramp, 20);
    const handles = component.handles();
    expect(handles.map(({ x }) => x)).toEqual([20, 80, 90]);
    expect(handles.every(({ sideways }) => sideways)).toBe(true);
    component.drag({ at: 0, x: 40, y: 5 });
    expect(component.curve()).toMatchObject({ rampUpSeconds: 40, holdSeconds: expect.any(Number) as number });
  });

  it('measures a drawn curve in per cent of all users', () => {
    const { component, last } = card(drawn, 40);
    expect(component.handles()).toEqual([
      { x: 0, y: 0, sideways: false },
      { x: 60, y: 40, sideways: false },
    ]);
    component.place({ x: 30.4, y: 10 });
    expect(last()).toMatchObject({
      points: [
        { seconds: 0, percent: 0 },
        { seconds: 30, percent: 25 },
        { seconds: 60, percent: 100 },
      ],
    });
  });

  it('takes no new point where the curve is not drawn', () => {
    const { component, changes } = card(ramp);
    component.place({ x: 30, y: 10 });
    component.addPoint();
    expect(changes).toEqual([]);
  });

  it('lets points be typed, added and removed, and keeps two of them and their order', () => {
    const { enter, click, last, button, element } = card(drawn);
    expect(button('Remove point 1').disabled).toBe(true);
    click('Add a point');
    expect(last()).toMatchObject({ points: [{ seconds: 0 }, { seconds: 60 }, { seconds: 90, percent: 100 }] });
    enter('Second of point 1', '75');
    expect(last()).toMatchObject({ points: [{ seconds: 60 }, { seconds: 75, percent: 0 }, { seconds: 90 }] });
    enter('Per cent of point 2', '140');
    expect(last()).toMatchObject({ points: [{}, { percent: 0 }, {}] });
    click('Remove point 2');
    expect(element.querySelectorAll('tbody tr')).toHaveLength(2);
  });

  it('takes two columns of a spreadsheet, with a comma or a per cent sign, in the order of time', () => {
    const { element, last } = card(drawn);
    const paste = pasted('120\t50 %\r\n0\t12,5\r\n60\t100%\r\n');
    element.querySelector('.points')?.dispatchEvent(paste);
    expect(paste.defaultPrevented).toBe(true);
    expect(last()).toMatchObject({
      points: [
        { seconds: 0, percent: 12.5 },
        { seconds: 60, percent: 100 },
        { seconds: 120, percent: 50 },
      ],
    });
  });

  it('leaves a paste to the field where it is no table of figures', () => {
    const { element, changes } = card(drawn);
    for (const text of ['75', 'second\tper cent\n0\t10', '10\t-5\n20\t10']) {
      const paste = pasted(text);
      element.querySelector('.points')?.dispatchEvent(paste);
      expect(paste.defaultPrevented).toBe(false);
    }
    expect(changes).toEqual([]);
  });

  it('holds its axes while a point is dragged', () => {
    const { component } = card(drawn);
    const extent = () => component.options()(() => '#000') as { xAxis: { max: number } };
    const before = extent().xAxis.max;
    component.hold(true);
    component.drag({ at: 1, x: 600, y: 20 });
    expect(extent().xAxis.max).toBe(before);
    component.hold(false);
    expect(extent().xAxis.max).toBeGreaterThan(600);
  });
});
