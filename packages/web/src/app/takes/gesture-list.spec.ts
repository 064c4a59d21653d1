import { HttpErrorResponse } from '@angular/common/http';
import { TestBed } from '@angular/core/testing';
import { provideRouter } from '@angular/router';
import type { Exchange, Gesture, MadeSecondTake, PlayingProgress, Take } from '@sturdy/core';
import { Subject } from 'rxjs';
import { Api } from '../shared/api';
import { render } from '../test/render';
import { GestureList } from './gesture-list';

const gesture = (n: number, act: Gesture['act'], more: Partial<Gesture> = {}): Gesture => ({
  n,
  atMs: 1000 * n,
  untilMs: 1000 * n,
  tab: 1,
  frames: [],
  act,
  aim: {
    words: 'button “Allocate bay”',
    ways: [
      { kind: 'role', role: 'button', name: 'Allocate bay', found: 1 },
      { kind: 'path', css: '#record > button', found: 3 },
    ],
  },
  ...more,
});
const take = {
  id: 't1',
  name: 'Take 1',
  state: 'done',
  gestures: [gesture(1, { kind: 'go-to', address: 'http://yard/' }, { aim: null }), gesture(2, { kind: 'click' }, { tab: 2 })],
} as unknown as Take;
const exchange = (n: number, startedAtMs: number, path: string) =>
  ({ kind: 'request', n, startedAtMs, method: 'GET', url: `http://yard${path}` }) as unknown as Exchange;

function screen() {
  const [making, progress] = [new Subject<MadeSecondTake>(), new Subject<PlayingProgress>()];
  const api = {
    makeSecondTake: jest.fn(() => making),
    playingProgress: () => progress,
    answerSecondTake: jest.fn(() => new Subject()),
    cancelSecondTake: jest.fn(() => new Subject()),
  };
  TestBed.configureTestingModule({ providers: [provideRouter([]), { provide: Api, useValue: api }] });
  const rendered = render(GestureList, {
    take,
    exchanges: [exchange(1, 1100, '/'), exchange(2, 2100, '/api/free'), exchange(3, 2200, '/api/bay')],
  });
  const shown: number[] = [];
  rendered.fixture.componentInstance.shown.subscribe((n) => shown.push(n));
  return { ...rendered, api, making, progress, shown };
}

describe('gestures of a take', () => {
  it('are told in words, with the ways to their element and the requests that followed', () => {
    const { element, text, click, shown } = screen();
    expect(text()).toContain('Go to http://yard/');
    expect(text()).toContain('Click the button “Allocate bay”');
    expect(text()).toContain('tab 2');
    expect([...element.querySelectorAll('.way.sure')].map((way) => way.textContent)).toEqual(['role and name']);
    expect(element.querySelector('.way:not(.sure)')?.getAttribute('title')).toBe('#record > button: 3 on the page');
    click('GET /api/bay');
    expect(shown).toEqual([3]);
  });

  it('make a second take: how far it is, what a person has to do, and what came of it', () => {
    const { text, click, api, making, progress, element, fixture } = screen();
    click('Make the second take');
    expect(api.makeSecondTake.mock.calls).toEqual([['t1', false]]);
    expect(text()).toContain('A clean browser is opened…');
    progress.next({ done: 3, total: 9, round: 2, words: 'Click the button “Book”', waitsFor: null });
    fixture.detectChanges();
    expect(text()).toContain('Round 2, gesture 4 of 9: Click the button “Book”');
    expect(element.querySelector('progress')?.value).toBe(3);
    progress.next({ done: 3, total: 9, round: 2, words: 'Click the button “Book”', waitsFor: 'The button stayed disabled.' });
    fixture.detectChanges();
    click('It is done, go on');
    expect(api.answerSecondTake.mock.calls).toEqual([['t1', true]]);
    click('Cancel');
    expect(api.cancelSecondTake).toHaveBeenCalled();
    making.next({
      take: { id: 't2', name: 'Take 1, second take' } as Take,
      played: 9,
      total: 9,
      rounds: 2,
      changed: [{ n: 4, words: 'Type “Wwepik nuh” into the field “Goods”' }],
      asRecorded: [{ n: 3, words: 'Type “alm” into the field “Grower”' }],
      drifted: [],
      failure: null,
    });
    fixture.detectChanges();
    expect(text()).toContain('All 9 gestures were played, after 2 rounds.');
    expect(text()).toContain('With other values: Type “Wwepik nuh” into the field “Goods”.');
    expect(text()).toContain('As it was recorded: Type “alm” into the field “Grower”.');
    expect(element.querySelector('.result a')?.getAttribute('href')).toContain('/takes/t2');
  });

  it('say which gesture could not be played', () => {
    const { text, click, making, fixture } = screen();
    click('Make the second take');
    making.next({
      take: null,
      played: 1,
      total: 9,
      rounds: 1,
      changed: [],
      asRecorded: [],
      drifted: [{ n: 1, words: 'Click the link “Sign in”' }],
      failure: { n: 2, words: 'Click the button “Book”', sentence: 'The button “Book” is covered by another element: <div>.' },
    });
    fixture.detectChanges();
    expect(text()).toContain('Gesture 2 could not be played. Click the button “Book”: The button “Book” is covered by another element');
    expect(text()).toContain('Found by a later way than the best: Click the link “Sign in”.');
  });

  it('say what went wrong else', () => {
    const again = screen();
    again.click('Make the second take');
    again.making.error(new HttpErrorResponse({ status: 409, error: { detail: 'Stop the recording first.' } }));
    again.fixture.detectChanges();
    expect(again.text()).toContain('Stop the recording first.');
  });
});
