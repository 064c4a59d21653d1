import { TestBed } from '@angular/core/testing';
import { provideRouter } from '@angular/router';
import { NgbActiveModal } from '@ng-bootstrap/ng-bootstrap/modal';
import { keptSecret, plainEnvironment, type Environment } from '@sturdy/core';
import { render } from '../test/render';
import { EnvironmentDialog } from './environment-dialog';

const plain = plainEnvironment({ id: 'e', projectId: 'p', name: 'Test', targets: ['http://127.0.0.1:4701'] });

async function dialog(more: Partial<Environment> = {}) {
  const modal = { close: jest.fn(), dismiss: jest.fn() };
  TestBed.configureTestingModule({ providers: [provideRouter([]), { provide: NgbActiveModal, useValue: modal }] });
  const rendered = render(EnvironmentDialog);
  rendered.component.show({ ...plain, ...more });
  const settle = async () => {
    rendered.fixture.changeDetectorRef.markForCheck();
    rendered.fixture.detectChanges();
    await rendered.fixture.whenStable();
    rendered.fixture.detectChanges();
  };
  await settle();
  const save = () => {
    rendered.click('Save');
    return (modal.close.mock.lastCall as [Environment] | undefined)?.[0];
  };
  return { ...rendered, modal, settle, save, problem: () => rendered.element.querySelector('[role=alert]')?.textContent };
}

describe('the environment', () => {
  it('is saved as it was where nothing was changed', async () => {
    const whole: Partial<Environment> = {
      targets: ['http://127.0.0.1:4701', 'http://127.0.0.1:4702'],
      map: { 'http://old:1': 'http://127.0.0.1:4701' },
      credentials: [{ kind: 'basic', origin: '*', user: 'kim', password: keptSecret }],
      variables: { tenant: 'harbour', token: keptSecret },
      secretVariables: ['token'],
      upstreamProxy: 'http://127.0.0.1:3128',
      failureSigns: [{ kind: 'title', text: 'Try again later' }],
      productionLike: true,
    };
    const { save } = await dialog(whole);
    expect(save()).toEqual({ ...plain, ...whole });
  });

  it('takes targets and pairs of origins one a line, however they are indented', async () => {
    const { enter, save } = await dialog();
    enter('Allowed targets', '  http://127.0.0.1:1\n\n http://127.0.0.1:2 ');
    enter('Recorded origin', 'http://old:1   http://127.0.0.1:1\n');
    expect(save()).toMatchObject({
      targets: ['http://127.0.0.1:1', 'http://127.0.0.1:2'],
      map: { 'http://old:1': 'http://127.0.0.1:1' },
    });
  });

  it('is given what no good answer holds in it, and is not saved with a sign that says nothing', async () => {
    const { click, enter, save, problem, settle } = await dialog();
    click('Add a failure sign');
    expect(save()).toBeUndefined();
    await settle();
    expect(problem()).toContain('Write what an answer that failed holds.');
    enter('Sign 1', 'Try again later');
    expect(save()).toMatchObject({ failureSigns: [{ kind: 'text', text: 'Try again later' }] });
  });

  it('is not saved with a target that is no origin, and stays open', async () => {
    const { enter, save, problem } = await dialog();
    enter('Allowed targets', 'yard');
    expect(save()).toBeUndefined();
    expect(problem()).toContain('“yard” is not an origin.');
  });

  it('has each variable once, and each with a name', async () => {
    const { component, save, problem, settle } = await dialog();
    const variable = (name: string, value = 'x') => ({ name, value, isSecret: false });
    component.variables.set([variable('tenant'), variable(' tenant ')]);
    save();
    await settle();
    expect(problem()).toBe('The variable “tenant” stands twice. Remove one of them.');
    component.variables.set([variable(' ', 'harbour')]);
    save();
    await settle();
    expect(problem()).toBe('A variable has no name. Give it one, or remove it.');
  });

  it('forgets lines of variables that were never filled in', async () => {
    const { component, save } = await dialog();
    component.variables.set([
      { name: '', value: '', isSecret: false },
      { name: ' token ', value: 'tulip', isSecret: true },
    ]);
    expect(save()).toMatchObject({ variables: { token: 'tulip' }, secretVariables: ['token'] });
  });

  it('gets a sign-in for its first target, and says which one is wrong', async () => {
    const { click, component, save, problem, settle } = await dialog();
    click('Add a sign-in');
    expect(component.credentials()).toEqual([{ kind: 'basic', origin: 'http://127.0.0.1:4701', user: '', password: '' }]);
    component.setCredential(0, { kind: 'basic', origin: 'nowhere', user: 'kim', password: 'x' });
    save();
    await settle();
    expect(problem()).toMatch(/^Sign-in 1: /);
    component.removeCredential(0);
    expect(save()).toMatchObject({ credentials: [] });
  });

  it('does not check certificates where that was switched off', async () => {
    const { element, save, settle } = await dialog();
    element.querySelector<HTMLInputElement>('input[name=checks]')?.click();
    await settle();
    expect(save()).toMatchObject({ trust: { checksCertificates: false } });
  });
});
