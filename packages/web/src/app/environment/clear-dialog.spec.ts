import { TestBed } from '@angular/core/testing';
import { NgbActiveModal } from '@ng-bootstrap/ng-bootstrap/modal';
import { plainEnvironment, type Clearing, type LookedUpTarget } from '@sturdy/core';
import { of, throwError } from 'rxjs';
import { Api } from '../shared/api';
import { render } from '../test/render';
import { ClearDialog } from './clear-dialog';

const origin = 'http://erp-test.company.example';
const environment = plainEnvironment({ id: 'e2', projectId: 'p', name: 'Staging', targets: [origin] });
const target = (more: Partial<LookedUpTarget> = {}): LookedUpTarget => ({
  origin,
  addresses: [{ address: '10.20.0.7', reach: 'private' }],
  isPublic: false,
  problem: null,
  most: { requestsPerSecond: null, users: null },
  ...more,
});

/** The dialog for a target that leads there, and what it sends. */
async function dialog(found: LookedUpTarget, refusal?: string) {
  const sent: Clearing[] = [];
  const modal = { close: jest.fn(), dismiss: jest.fn() };
  const api = {
    lookUp: () => of(found),
    clearTarget: (_id: string, clearing: Clearing) => {
      sent.push(clearing);
      return refusal === undefined ? of(environment) : throwError(() => new Error(refusal));
    },
  };
  TestBed.configureTestingModule({
    providers: [
      { provide: NgbActiveModal, useValue: modal },
      { provide: Api, useValue: api },
    ],
  });
  const rendered = render(ClearDialog);
  rendered.component.show(environment, origin);
  rendered.fixture.detectChanges();
  await rendered.fixture.whenStable();
  rendered.fixture.detectChanges();
  return { ...rendered, sent, modal };
}

describe('clearing a target', () => {
  it('shows where it leads, and asks who allows it, what for, until when and up to how much', async () => {
    const { text, enter, click, sent, modal } = await dialog(target());
    expect(text()).toContain('10.20.0.7private network');
    enter('Allowed by', 'Mara');
    enter('For what', 'load test of release 4.2');
    enter('Until', '2026-12-24');
    enter('Requests a second', '');
    enter('Virtual users', '12');
    click('Clear it');
    expect(sent).toEqual([
      { origin, by: 'Mara', for: 'load test of release 4.2', until: '2026-12-24', requestsPerSecond: null, users: 12, host: '' },
    ]);
    expect(modal.close).toHaveBeenCalledWith(environment);
  });

  it('is not sent before it says who and what for', async () => {
    const { click, sent, text } = await dialog(target());
    click('Clear it');
    expect(sent).toEqual([]);
    expect(text()).toContain('Say who cleared the target.');
  });

  it('asks for the name of a host on the public internet', async () => {
    const { enter, click, sent, text } = await dialog(target({ isPublic: true, addresses: [{ address: '8.8.4.4', reach: 'public' }] }));
    expect(text()).toContain('type the name of its host, erp-test.company.example');
    enter('Allowed by', 'Mara');
    enter('For what', 'x');
    enter('It is on the public internet', 'erp-test.company.example');
    click('Clear it');
    expect(sent).toMatchObject([{ host: 'erp-test.company.example' }]);
  });

  it('proposes no more than the policy of the machine allows', async () => {
    const { field } = await dialog(target({ most: { requestsPerSecond: 4, users: 2 } }));
    expect([field('Requests a second').value, field('Virtual users').value]).toEqual(['4', '2']);
  });

  it('says why it cannot be cleared, and does not let it be tried', async () => {
    const { text, button } = await dialog(target({ problem: 'The policy of this machine does not allow it.' }));
    expect(text()).toContain('The policy of this machine does not allow it.');
    expect([button('Clear it').disabled, button('Clear it').title]).toEqual([true, 'It cannot be cleared.']);
  });

  it('stays open where the server refuses, with what was written', async () => {
    const { enter, click, modal, component, fixture } = await dialog(target(), 'It was cleared until yesterday.');
    enter('Allowed by', 'Mara');
    enter('For what', 'x');
    click('Clear it');
    fixture.detectChanges();
    expect(component.problem()).toContain('It was cleared until yesterday.');
    expect([component.by, modal.close.mock.calls]).toEqual(['Mara', []]);
  });
});
