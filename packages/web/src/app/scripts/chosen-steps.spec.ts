import { provideZonelessChangeDetection } from '@angular/core';
import { TestBed } from '@angular/core/testing';
import { provideState, provideStore, Store } from '@ngrx/store';
import { allSteps, type Script, type Step } from '@sturdy/core';
import { scriptsActions } from '../state/scripts.actions';
import { scriptsFeature } from '../state/scripts.feature';
import { ChosenSteps } from './chosen-steps';

const comment = (id: string): Step => ({ kind: 'comment', id, text: id });
const script: Script = {
  id: 's',
  projectId: 'p',
  name: 'Book',
  takeId: 't',
  secondTakeId: null,
  handoffs: [],
  made: [],
  unsure: [],
  transactions: [
    { kind: 'transaction', id: 't1', name: 'Sign in', steps: ['a', 'b', 'c'].map(comment) },
    { kind: 'transaction', id: 't2', name: 'Book', steps: ['d', 'e'].map(comment) },
  ],
};

function opened() {
  TestBed.configureTestingModule({
    providers: [provideZonelessChangeDetection(), provideStore(), provideState(scriptsFeature), ChosenSteps],
  });
  TestBed.inject(Store).dispatch(scriptsActions.scriptLoaded({ script, rehearsals: [] }));
  const chosen = TestBed.inject(ChosenSteps);
  const click = (id: string, keys: { ctrlKey?: boolean; shiftKey?: boolean } = {}) => {
    chosen.pick(id, new MouseEvent('click', keys));
  };
  const outline = () =>
    chosen.script()?.transactions.map(({ steps }) => allSteps(steps).map(({ id, kind }) => (kind === 'comment' ? id : kind)));
  return { chosen, click, outline };
}

describe('steps that are chosen', () => {
  it('are one by a click, several with Ctrl, and all between with Shift, over transactions', () => {
    const { chosen, click } = opened();
    click('b');
    expect([chosen.all(), chosen.selected()]).toEqual([['b'], 'b']);
    click('d', { ctrlKey: true });
    expect(chosen.all()).toEqual(['b', 'd']);
    click('d', { ctrlKey: true });
    expect(chosen.all()).toEqual(['b']);
    click('e', { shiftKey: true });
    expect(new Set(chosen.all())).toEqual(new Set(['b', 'd', 'e']));
    click('a');
    click('d', { shiftKey: true });
    expect(chosen.all()).toEqual(['a', 'b', 'c', 'd']);
    click('t1');
    // A transaction is no step: nothing that is done with steps touches it.
    expect(chosen.all()).toEqual([]);
  });

  it('are wrapped, and the container is chosen', () => {
    const { chosen, click, outline } = opened();
    click('b');
    click('c', { ctrlKey: true });
    chosen.wrap('repeat');
    expect(outline()).toEqual([
      ['a', 'repeat', 'b', 'c'],
      ['d', 'e'],
    ]);
    expect(chosen.picked().size).toBe(0);
    expect(chosen.selected()).toBe('repeat');
    click('d');
    chosen.wrap('repeat');
    // A second one has an id of its own.
    expect(chosen.selected()).not.toBe('repeat');
    expect(outline()?.[1]).toEqual(['repeat', 'd', 'e']);
  });

  it('are cut and put in behind another one, in the order in which they stood', () => {
    const { chosen, click, outline } = opened();
    click('c');
    click('a', { ctrlKey: true });
    chosen.copy(true);
    expect(outline()).toEqual([['b'], ['d', 'e']]);
    click('d');
    chosen.paste();
    expect(outline()?.[0]).toEqual(['b']);
    expect(outline()?.[1]?.length).toBe(4);
    expect(chosen.script()?.transactions[1]?.steps.map((step) => (step.kind === 'comment' ? step.text : ''))).toEqual(['d', 'a', 'c', 'e']);
  });

  it('are moved behind a row, and not behind one of themselves', () => {
    const { chosen, click, outline } = opened();
    click('a');
    click('b', { ctrlKey: true });
    chosen.moveBehind('a', 'b');
    expect(outline()?.[0]).toEqual(['a', 'b', 'c']);
    chosen.moveBehind('a', 'd');
    expect(outline()).toEqual([['c'], ['d', 'a', 'b', 'e']]);
  });

  it('keep their order when they are moved up or down by one', () => {
    const { chosen, click, outline } = opened();
    click('a');
    click('b', { ctrlKey: true });
    chosen.moveBy(1);
    expect(outline()?.[0]).toEqual(['c', 'a', 'b']);
    chosen.moveBy(-1);
    expect(outline()?.[0]).toEqual(['a', 'b', 'c']);
  });

  it('say where a new step and a new transaction go', () => {
    const { chosen, click, outline } = opened();
    expect(chosen.transactionAt()).toBe('t2');
    click('b');
    chosen.insert('pause');
    expect(outline()?.[0]).toEqual(['a', 'b', 'pause', 'c']);
    expect(chosen.transactionAt()).toBe('t1');
    chosen.insertTransaction();
    expect(chosen.script()?.transactions.map(({ name }) => name)).toEqual(['Sign in', 'New transaction', 'Book']);
  });
});
