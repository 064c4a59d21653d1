import { HttpErrorResponse } from '@angular/common/http';
import { TestBed } from '@angular/core/testing';
import { provideRouter } from '@angular/router';
import { NgbActiveModal } from '@ng-bootstrap/ng-bootstrap/modal';
import type { CountedTake, Exchange } from '@sturdy/core';
import { of, throwError } from 'rxjs';
import { Api } from '../shared/api';
import { render } from '../test/render';
import { TakePieceDialog } from './take-piece-dialog';

const exchange = (n: number, path: string, mimeType = 'text/html') =>
  ({
    kind: 'request',
    n,
    method: 'GET',
    url: `http://127.0.0.1:1${path}`,
    requestHeaders: [],
    response: { status: 200, headers: [['Content-Type', mimeType]], body: { hash: 'h', size: 1, mimeType } },
  }) as unknown as Exchange;
const exchanges = [exchange(1, '/'), exchange(2, '/logo.png', 'image/png'), exchange(3, '/lots?password=tulip'), exchange(4, '/book')];
const takes = [
  { id: 't1', name: 'Take 1', exchangeCount: 9 },
  { id: 't2', name: 'Take 2', exchangeCount: 4 },
] as CountedTake[];

function dialog(chosen = 0, available = takes, take: jest.Mock = jest.fn(() => of({ exchanges }))) {
  const modal = { close: jest.fn(), dismiss: jest.fn() };
  TestBed.configureTestingModule({
    providers: [
      provideRouter([]),
      { provide: NgbActiveModal, useValue: modal },
      { provide: Api, useValue: { take, secretsIn: () => of([]) } },
    ],
  });
  const rendered = render(TakePieceDialog);
  rendered.component.start(available, chosen);
  rendered.fixture.detectChanges();
  const pressed = () => [...rendered.element.querySelectorAll('[aria-pressed=true] .num')].map((number) => Number(number.textContent));
  return { ...rendered, modal, take, pressed };
}

describe('a piece of a take', () => {
  it('is chosen in the newest take, among what a script would send, with secrets masked', () => {
    const { take, element, text, button } = dialog();
    expect(take).toHaveBeenCalledWith('t2');
    expect([...element.querySelectorAll('.row-button .num')].map((number) => number.textContent)).toEqual(['1', '3', '4']);
    expect(text()).not.toContain('tulip');
    expect(button('Put it in').getAttribute('aria-description')).toContain('the first and the last request of the piece');
  });

  it('is from one click to the next, in either direction; a third begins anew', () => {
    const { component, pressed, fixture, click, modal } = dialog();
    const pick = (n: number) => {
      component.pick(n);
      fixture.detectChanges();
    };
    pick(4);
    expect(pressed()).toEqual([4]);
    pick(1);
    expect(pressed()).toEqual([1, 3, 4]);
    click('Put in 3 requests');
    expect(modal.close).toHaveBeenLastCalledWith({ takeId: 't2', from: 1, to: 4, instead: false });
    pick(3);
    expect(pressed()).toEqual([3]);
    click('Put in 1 request');
    expect(modal.close).toHaveBeenLastCalledWith({ takeId: 't2', from: 3, to: 3, instead: false });
  });

  it('comes in the place of chosen steps, or beside them', () => {
    const { component, fixture, text, element, click, modal } = dialog(2);
    expect(text()).toContain('Put a recorded piece in the place of 2 steps');
    component.pick(1);
    fixture.detectChanges();
    click('Put in 1 request');
    element.querySelector<HTMLInputElement>('input[type=checkbox]')?.click();
    fixture.detectChanges();
    click('Put in 1 request');
    expect(modal.close.mock.calls.map(([choice]: [{ instead: boolean }]) => choice.instead)).toEqual([true, false]);
  });

  it('is chosen anew in another take', () => {
    const { component, enter, pressed, take } = dialog();
    component.pick(1);
    enter('Take', 't1');
    expect(take).toHaveBeenLastCalledWith('t1');
    expect(pressed()).toEqual([]);
  });

  it('needs a take, and says what could not be read', () => {
    const none = dialog(0, []);
    expect(none.element.querySelector('a')?.getAttribute('href')).toBe('/takes/record');
  });

  it('says what could not be read', () => {
    const gone = throwError(() => new HttpErrorResponse({ status: 404, error: { detail: 'There is no such take.' } }));
    const { element } = dialog(
      0,
      takes,
      jest.fn(() => gone),
    );
    expect(element.querySelector('[role=alert]')?.textContent).toBe('There is no such take.');
  });
});
