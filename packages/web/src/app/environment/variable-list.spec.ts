import { TestBed } from '@angular/core/testing';
import { keptSecret } from '@sturdy/core';
import { VariableList, type EditedVariable } from './variable-list';

/** The list as its dialog shows it: what is changed comes back into it. */
function opened(variables: EditedVariable[]) {
  const fixture = TestBed.createComponent(VariableList);
  let current = variables;
  const show = () => {
    fixture.componentRef.setInput('variables', current);
    fixture.detectChanges();
  };
  fixture.componentInstance.changed.subscribe((changed) => {
    current = changed;
    show();
  });
  show();
  const page = fixture.nativeElement as HTMLElement;
  const value = (name: string) => page.querySelector<HTMLInputElement>(`[aria-label="Value of ${name}"]`);
  return {
    now: () => current,
    value,
    type: (name: string, text: string) => {
      const field = value(name);
      if (!field) throw new Error(`no field of ${name}`);
      field.value = text;
      field.dispatchEvent(new Event('input'));
    },
    click: (selector: string, at = 0) => {
      page.querySelectorAll<HTMLElement>(selector)[at]?.click();
    },
  };
}

describe('variables of an environment', () => {
  const tenant = { name: 'tenant', value: 'harbour', isSecret: false };
  const key = { name: 'key', value: keptSecret, isSecret: true };

  it('are shown, but for secret ones, of which it is only told that they are kept', () => {
    const list = opened([tenant, key]);
    expect([list.value('tenant')?.type, list.value('tenant')?.value]).toEqual(['text', 'harbour']);
    expect([list.value('key')?.type, list.value('key')?.value, list.value('key')?.placeholder]).toEqual([
      'password',
      '',
      'kept, not shown',
    ]);
  });

  it('are replaced by what is written; a secret stays where that is taken back', () => {
    const list = opened([tenant, key]);
    list.type('tenant', 'quay');
    list.type('key', 'medlar');
    expect(list.now()).toEqual([
      { ...tenant, value: 'quay' },
      { ...key, value: 'medlar' },
    ]);
    list.type('key', '');
    expect(list.now()[1]).toEqual(key);
    list.type('tenant', '');
    expect(list.now()[0]).toEqual({ ...tenant, value: '' });
  });

  it('are no secrets any more only once they are written anew', () => {
    const list = opened([tenant, key]);
    list.click('.secret input', 1);
    expect(list.now()[1]).toEqual({ name: 'key', value: '', isSecret: false });
    list.click('.secret input', 0);
    expect(list.now()[0]).toEqual({ ...tenant, isSecret: true });
  });

  it('are added and removed', () => {
    const list = opened([tenant]);
    list.click(':scope > button');
    expect(list.now()).toEqual([tenant, { name: '', value: '', isSecret: false }]);
    list.click('[aria-label="Remove tenant"]');
    expect(list.now()).toEqual([{ name: '', value: '', isSecret: false }]);
  });
});
