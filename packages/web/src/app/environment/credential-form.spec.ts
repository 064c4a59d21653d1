import { TestBed } from '@angular/core/testing';
import { keptSecret, type Credential } from '@sturdy/core';
import { CredentialForm } from './credential-form';

/** The form of a credential, as its dialog shows it: what is changed comes back into it. */
function opened(credential: Credential) {
  const fixture = TestBed.createComponent(CredentialForm);
  let current = credential;
  const show = () => {
    fixture.componentRef.setInput('credential', current);
    fixture.detectChanges();
  };
  fixture.componentInstance.changed.subscribe((changed) => {
    current = changed;
    show();
  });
  show();
  const form = fixture.componentInstance;
  return { form, now: () => current };
}

describe('a secret in the form of a sign-in', () => {
  const basic: Credential = { kind: 'basic', origin: '*', user: 'kim', password: keptSecret };

  it('that is kept is not shown, and stays kept where nothing is written', () => {
    const { form, now } = opened(basic);
    expect([form.secret('password'), form.placeholder('password')]).toEqual(['', 'kept']);
    form.set('user', 'lee');
    expect(now()).toEqual({ ...basic, user: 'lee' });
  });

  it('is replaced by what is written, and kept again where that is taken back', () => {
    const { form, now } = opened(basic);
    form.setSecret('password', 't');
    form.setSecret('password', 'tulip');
    expect([now(), form.secret('password'), form.placeholder('password')]).toEqual([{ ...basic, password: 'tulip' }, 'tulip', '']);
    form.setSecret('password', '');
    expect([now(), form.placeholder('password')]).toEqual([basic, 'kept']);
  });

  it('that was never there stays empty where nothing is written', () => {
    const { form, now } = opened({ ...basic, password: '' });
    expect([form.secret('password'), form.placeholder('password')]).toEqual(['', '']);
    form.setSecret('password', 'x');
    form.setSecret('password', '');
    expect(now()).toMatchObject({ password: '' });
  });
});
