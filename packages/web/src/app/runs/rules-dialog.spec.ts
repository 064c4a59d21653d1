import { TestBed } from '@angular/core/testing';
import { NgbActiveModal } from '@ng-bootstrap/ng-bootstrap/modal';
import { plainRules, type FindingRules } from '@sturdy/core';
import { render } from '../test/render';
import { RulesDialog } from './rules-dialog';

function dialog() {
  const modal = { close: jest.fn<undefined, [FindingRules]>(), dismiss: jest.fn() };
  TestBed.configureTestingModule({ providers: [{ provide: NgbActiveModal, useValue: modal }] });
  return { ...render(RulesDialog), modal };
}
const submit = (element: HTMLElement) => element.querySelector('form')?.dispatchEvent(new Event('submit', { cancelable: true }));

describe('the rules of the analysis', () => {
  it('are changed, added and removed, and can be had as they ship', () => {
    const { enter, click, element, modal } = dialog();
    enter('Limit of rule 1', '75');
    enter('Seconds of rule 1', '300');
    enter('Weight of rule 1', 'notable');
    enter('Unit of rule 1', '');
    enter('Difference from', '25');
    click('Remove rule 2');
    click('Add a rule');
    submit(element);
    const [saved] = modal.close.mock.lastCall ?? [];
    expect(saved?.hostRules[0]).toMatchObject({ id: 'processor', limit: 75, forSeconds: 300, severity: 'notable', unit: null });
    expect(saved?.hostRules.map(({ id }) => id)).not.toContain('run-queue');
    expect(saved?.hostRules.at(-1)?.id).toBe('own1');
    expect(saved?.leastShare).toBe(0.25);
    click('As they ship');
    submit(element);
    expect(modal.close).toHaveBeenLastCalledWith(plainRules);
  });

  it('are not saved where an expression is none, and say which', () => {
    const { enter, button, element, modal, text } = dialog();
    enter('Figures of rule 3', 'run (queue');
    expect(text()).toContain('Rule 3: Write a regular expression');
    expect(button('Save').disabled).toBe(true);
    submit(element);
    expect(modal.close).not.toHaveBeenCalled();
  });
});
