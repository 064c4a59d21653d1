import { HttpErrorResponse } from '@angular/common/http';
import { TestBed } from '@angular/core/testing';
import { NgbActiveModal } from '@ng-bootstrap/ng-bootstrap/modal';
import type { ShownFigure, Watch } from '@sturdy/core';
import { of, Subject, throwError } from 'rxjs';
import { Api } from '../shared/api';
import { render } from '../test/render';
import { WatchDialog } from './watch-dialog';

const figure = (metric: string, more: Partial<ShownFigure> = {}): ShownFigure => ({
  id: metric,
  metric,
  labels: {},
  name: metric,
  unit: '',
  as: 'value',
  scale: 1,
  ...more,
});
const watch = (more: Partial<Extract<Watch, { kind: 'open-metrics' }>> = {}) => ({
  id: 'w1',
  name: 'Yard',
  kind: 'open-metrics' as const,
  url: 'http://127.0.0.1:4701/metrics',
  everySeconds: 2,
  shown: [] as ShownFigure[],
  ...more,
});

function dialog(askHost: jest.Mock) {
  const modal = { close: jest.fn(), dismiss: jest.fn() };
  TestBed.configureTestingModule({
    providers: [
      { provide: NgbActiveModal, useValue: modal },
      { provide: Api, useValue: { askHost } },
    ],
  });
  return { ...render(WatchDialog), modal };
}
const offers = (...figures: ShownFigure[]) => jest.fn(() => of({ offered: figures }));

describe('watching a host', () => {
  it('begins with everything that a new host offers', () => {
    const { component, fixture, click, element, modal } = dialog(offers(figure('queue'), figure('requests_total', { as: 'rate' })));
    component.load(watch());
    fixture.detectChanges();
    expect([...element.querySelectorAll<HTMLInputElement>('input[type=checkbox]')].map(({ checked }) => checked)).toEqual([true, true]);
    expect(element.textContent).toContain('requests_total, a second');
    click('Watch it');
    expect(modal.close).toHaveBeenCalledWith(
      expect.objectContaining({ id: 'w1', everySeconds: 2, shown: [figure('queue'), figure('requests_total', { as: 'rate' })] }),
    );
  });

  it('keeps the names and the choice of one that is watched, beside what it offers by now', () => {
    const named = figure('queue', { name: 'Waiting workers', unit: 'jobs' });
    const { component, fixture, field, element } = dialog(offers(figure('queue'), figure('new')));
    component.load(watch({ shown: [named] }));
    fixture.detectChanges();
    expect(field('Name of queue').value).toBe('Waiting workers');
    expect([...element.querySelectorAll<HTMLInputElement>('input[type=checkbox]')].map(({ checked }) => checked)).toEqual([true, false]);
  });

  it('names and scales figures, and leaves out what is not ticked', () => {
    const { component, fixture, enter, click, element, modal } = dialog(offers(figure('cpu'), figure('heap')));
    component.load(watch());
    fixture.detectChanges();
    enter('Name of heap', 'Memory');
    enter('Unit of heap', 'MB');
    enter('Factor of heap', '0.000001');
    element.querySelector<HTMLInputElement>('input[aria-label="Show cpu"]')?.click();
    enter('Every, s', '5');
    click('Watch it');
    expect(modal.close).toHaveBeenCalledWith(
      expect.objectContaining({ everySeconds: 5, shown: [figure('heap', { name: 'Memory', unit: 'MB', scale: 0.000001 })] }),
    );
  });

  it('wants a figure, and a figure with a name', () => {
    const { component, fixture, enter, button, click, element, modal } = dialog(offers(figure('cpu')));
    expect(button('Watch it').getAttribute('aria-description')).toBe('Choose a figure that is to be shown.');
    component.load(watch());
    fixture.detectChanges();
    enter('Name of cpu', '');
    click('Watch it');
    expect(element.querySelector('[role=alert]')?.textContent).not.toBe('');
    expect(modal.close).not.toHaveBeenCalled();
  });

  it('says why a host cannot be asked, and asks once at a time', () => {
    const answer = new Subject<{ offered: ShownFigure[] }>();
    const refused = throwError(() => new HttpErrorResponse({ status: 422, error: { detail: 'It is no address of this machine.' } }));
    const { fixture, enter, click, button, element } = dialog(jest.fn().mockReturnValueOnce(answer).mockReturnValueOnce(refused));
    enter('Address of its figures', 'http://127.0.0.1:1/metrics ');
    click('Ask it');
    expect(button('Asking').getAttribute('aria-description')).toBe('The host is being asked.');
    answer.error(new HttpErrorResponse({ status: 422, error: { detail: 'It refused the connection.' } }));
    fixture.detectChanges();
    expect(element.querySelector('[role=alert]')?.textContent).toBe('It refused the connection.');
    click('Ask it');
    expect(element.querySelector('[role=alert]')?.textContent).toBe('It is no address of this machine.');
  });
});
