import { HttpErrorResponse } from '@angular/common/http';
import { TestBed } from '@angular/core/testing';
import { NgbActiveModal } from '@ng-bootstrap/ng-bootstrap/modal';
import { provideState, provideStore } from '@ngrx/store';
import type { FailureSign, ProjectSettings } from '@sturdy/core';
import { of, Subject, throwError } from 'rxjs';
import { Api } from '../shared/api';
import { scriptsFeature } from '../state/scripts.feature';
import { render } from '../test/render';
import { ProjectDialog } from './project-dialog';

const settings = {
  failureSigns: [{ kind: 'text', text: 'Your visit has ended' }],
  criteria: [],
  watches: [{ id: 'w1' }],
} as unknown as ProjectSettings;

function dialog(api: Partial<Record<keyof Api, unknown>> = {}) {
  const modal = { close: jest.fn(), dismiss: jest.fn() };
  const saveProjectSettings = jest.fn((saved: ProjectSettings) => of(saved));
  TestBed.configureTestingModule({
    providers: [
      provideStore(),
      provideState(scriptsFeature),
      { provide: NgbActiveModal, useValue: modal },
      { provide: Api, useValue: { projectSettings: () => of(settings), saveProjectSettings, ...api } },
    ],
  });
  return { ...render(ProjectDialog), modal, saveProjectSettings };
}

describe('settings of the project', () => {
  it('are saved with what is changed elsewhere, and close the dialog', () => {
    const { click, enter, saveProjectSettings, modal } = dialog();
    click('Add a failure sign');
    enter('Kind of sign 2', 'element');
    enter('Sign 2', 'fault');
    click('Save');
    expect(saveProjectSettings).toHaveBeenCalledWith({
      failureSigns: [...settings.failureSigns, { kind: 'element', text: 'fault' }],
      criteria: [],
      watches: [{ id: 'w1' }],
    });
    expect(modal.close).toHaveBeenCalledTimes(1);
  });

  it('cannot be saved before they have come: that would wipe them out', () => {
    const coming = new Subject<ProjectSettings>();
    const { button, fixture, text } = dialog({ projectSettings: () => coming });
    expect(text()).toContain('Reading what the project has so far…');
    expect(button('Save').getAttribute('aria-description')).toBe('The settings of the project are being read.');
    coming.next(settings);
    fixture.detectChanges();
    expect(button('Save').disabled).toBe(false);
  });

  it('cannot be saved with a sign that says nothing', () => {
    const { click, button } = dialog();
    click('Add a failure sign');
    expect(button('Save').getAttribute('aria-description')).toBe('A sign, or a limit, is not complete.');
    expect(button('Try it').disabled).toBe(false);
    click('Remove sign 2');
    expect(button('Save').disabled).toBe(false);
  });

  it('try a sign on what was recorded, and forget the result when the sign changes', () => {
    const held = [{ take: 'Take 1', exchange: 7, url: '/lots' }];
    const tryFailureSign = jest.fn<unknown, [FailureSign]>().mockReturnValueOnce(of(held)).mockReturnValueOnce(of([]));
    const { click, enter, text } = dialog({ tryFailureSign });
    click('Try it');
    expect(text()).toContain('A recorded answer contains it, so good steps would fail: Take 1, 7: /lots');
    enter('Sign 1', 'ended');
    expect(text()).not.toContain('would fail');
    click('Try it');
    expect(text()).toContain('No recorded answer contains it');
    expect(tryFailureSign.mock.calls).toEqual([[{ kind: 'text', text: 'Your visit has ended' }], [{ kind: 'text', text: 'ended' }]]);
  });

  it('say why they could not be saved, and stay open', () => {
    const full = throwError(() => new HttpErrorResponse({ status: 503, error: { detail: 'The disk is full.' } }));
    const { click, element, modal } = dialog({ saveProjectSettings: () => full });
    click('Save');
    expect(element.querySelector('[role=alert]')?.textContent).toBe('The disk is full.');
    expect(modal.close).not.toHaveBeenCalled();
  });
});
