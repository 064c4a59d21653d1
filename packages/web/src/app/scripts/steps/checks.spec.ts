import { HttpErrorResponse } from '@angular/common/http';
import { TestBed } from '@angular/core/testing';
import { provideState, provideStore, Store } from '@ngrx/store';
import { CheckedSchema, type Check, type CheckKindName, type RequestStep, type Script } from '@sturdy/core';
import { of, Subject, throwError } from 'rxjs';
import { Api } from '../../shared/api';
import { dataFeature } from '../../state/data.feature';
import { scriptsActions } from '../../state/scripts.actions';
import { heard, render } from '../../test/render';
import { CheckForm, newCheck } from './check-form';
import { checkForms } from './check-forms';
import { CheckList } from './check-list';

const script = { id: 's', transactions: [], handoffs: [{ id: 'h1', name: 'lot', recorded: '7' }], made: [] } as unknown as Script;
const providers = () => [provideStore(), provideState(dataFeature)];

/** The form over a check; what it changes comes back into it. */
function form(checked: Check['checked'], inputs: Record<string, unknown> = {}) {
  TestBed.configureTestingModule({ providers: providers() });
  const rendered = render(CheckForm, { script, value: { ...newCheck('c1'), checked }, ...inputs });
  const changes = heard(rendered.component.changed);
  rendered.component.changed.subscribe((value) => {
    rendered.give({ value });
  });
  return { ...rendered, last: () => changes.at(-1), changes };
}
const kinds = Object.keys(checkForms) as CheckKindName[];

describe('a check as a form', () => {
  it.each(kinds)('looks at %s with fields of its own', (kind) => {
    const { enter, last, element } = form(checkForms[kind === 'text' ? 'time' : 'text'].blank);
    enter('Look at', kind);
    expect(last()?.checked).toEqual(checkForms[kind].blank);
    // The kind and what a failure does are asked of each.
    expect(element.querySelectorAll('input, select').length).toBeGreaterThan(2);
  });

  it.each(kinds.filter((kind) => !['text', 'redirect', 'value'].includes(kind)))('of %s is complete as it begins', (kind) => {
    expect(CheckedSchema.safeParse(checkForms[kind].blank).error).toBeUndefined();
  });

  it('takes values of the script in its texts, and says where one is not known', () => {
    const { enter, last, element, changes } = form(checkForms.text.blank);
    enter('Text', 'Lot ~{lot} booked');
    expect(last()?.checked).toMatchObject({ text: [{ text: 'Lot ' }, { kind: 'handoff', handoff: 'h1' }, { text: ' booked' }] });
    const before = changes.length;
    enter('Text', 'Lot ~{lott}');
    expect(element.querySelector('[role=alert]')?.textContent).toContain('lott');
    expect(changes).toHaveLength(before);
  });

  it('may ask that a text does not stand there', () => {
    const { enter, last } = form(checkForms.text.blank);
    enter('It must', 'no');
    expect(last()?.checked).toMatchObject({ kind: 'text', present: false });
  });

  it('compares a value with another, or asks only whether there is something', () => {
    const { enter, last, element } = form(checkForms.value.blank);
    const asksForAnother = () => [...element.querySelectorAll('label')].some((label) => /^this\b/.test(label.textContent.trim()));
    enter('this', '7');
    expect(last()?.checked).toMatchObject({ is: 'equals', than: [{ kind: 'text', text: '7' }] });
    expect(asksForAnother()).toBe(true);
    enter('The value', 'filled');
    expect(last()?.checked).toMatchObject({ is: 'filled', than: [] });
    expect(asksForAnother()).toBe(false);
  });

  it('takes statuses however they are kept apart, and none that HTTP does not know (RFC 9110, 15)', () => {
    const { enter, last } = form(checkForms.status.blank);
    enter('One of these', '200, 204;302 99 600');
    expect(last()?.checked).toEqual({ kind: 'status', statuses: [200, 204, 302] });
    enter('One of these', 'none');
    expect(last()?.checked).toEqual({ kind: 'status', statuses: [200, 204, 302] });
  });

  it('has no upper limit where the field is empty or says what is none', () => {
    const { enter, last } = form(checkForms.size.blank);
    enter('at most', '4000');
    expect(last()?.checked).toEqual({ kind: 'size', atLeast: 1, atMost: 4000 });
    enter('at most', '-3');
    expect(last()?.checked).toMatchObject({ atMost: null });
  });

  it('counts between two limits', () => {
    const { enter, last } = form(checkForms.count.blank);
    enter('At most', '5');
    enter('At least', '2');
    expect(last()?.checked).toMatchObject({ kind: 'count', atLeast: 2, atMost: 5 });
  });

  it('says what a failure does, but not where it only says which message is waited for', () => {
    const { enter, last } = form(checkForms.time.blank);
    enter('Where it fails', 'stop-user');
    expect(last()?.onFailure).toBe('stop-user');
    TestBed.resetTestingModule();
    expect(form(checkForms.text.blank, { ofMessage: true }).text()).not.toContain('Where it fails');
  });
});

const check: Check = { id: 'c1', checked: { kind: 'status', statuses: [200] }, onFailure: 'mark' };
const step = (checks: Check[] = []) =>
  ({
    kind: 'request',
    id: 'a',
    name: 'GET /a',
    exchange: 3,
    method: 'GET',
    url: [],
    headers: [],
    body: null,
    checks,
  }) as unknown as RequestStep;

/** The list over the checks of a step. */
function list(checks: Check[], api: Partial<Record<keyof Api, unknown>> = {}) {
  TestBed.configureTestingModule({ providers: [...providers(), { provide: Api, useValue: api }] });
  const dispatched = jest.spyOn(TestBed.inject(Store), 'dispatch');
  const rendered = render(CheckList, { script, step: step(checks) });
  const edits = () =>
    dispatched.mock.calls.flatMap(([action]) => {
      const { type, edit } = action as unknown as { type: string; edit: unknown };
      return type === scriptsActions.edited.type ? [edit] : [];
    });
  return { ...rendered, edits };
}

describe('the checks of a step', () => {
  beforeEach(() => jest.useFakeTimers());
  afterEach(() => jest.useRealTimers());
  const set = (checks: Check[]) => ({ kind: 'set-checks', id: 'a', checks });

  it('say what they are for while there are none', () => {
    expect(list([]).text()).toContain('a check asks for what only a good answer says.');
  });

  it('are changed in their place, and deleted', () => {
    const { click, enter, edits } = list([check], { tryCheck: () => of({ tried: [], problem: null }) });
    click('Change');
    enter('One of these', '201');
    click('Keep this check');
    click('Delete the check');
    expect(edits()).toEqual([set([{ ...check, checked: { kind: 'status', statuses: [201] } }]), set([])]);
  });

  it('are tried on every answer at hand once typing rests, and say where they fail', () => {
    const tryCheck = jest.fn(() =>
      of({
        tried: [
          { source: 'take', failure: null, stepFailed: false },
          { source: 'rehearsal', rehearsal: 4, failure: 'It answered 500.', stepFailed: true },
        ],
        problem: null,
      }),
    );
    const { click, enter, fixture, text } = list([check], { tryCheck });
    click('Change');
    enter('One of these', '201');
    enter('One of these', '202');
    jest.advanceTimersByTime(350);
    fixture.detectChanges();
    expect(tryCheck).toHaveBeenCalledTimes(1);
    expect(text()).toContain('Take: holds');
    expect(text()).toContain('Rehearsal 4: It answered 500. (the step had failed there)');
  });

  it('that are incomplete are not kept', () => {
    const { click, fixture, button, edits } = list([], { tryCheck: () => of({ tried: [], problem: 'Write the text first.' }) });
    click('Add a check');
    jest.advanceTimersByTime(350);
    fixture.detectChanges();
    expect(button('Keep this check').getAttribute('aria-description')).toBe('Write the text first.');
    click('Leave it');
    expect(edits()).toEqual([]);
  });

  it('drop what is tried of a draft that is no longer there', () => {
    const answer = new Subject<unknown>();
    const { click, fixture, text } = list([check], { tryCheck: () => answer });
    click('Change');
    jest.advanceTimersByTime(350);
    click('Leave it');
    answer.next({ tried: [{ source: 'take', failure: 'no', stepFailed: false }], problem: 'old' });
    fixture.detectChanges();
    expect(text()).not.toContain('old');
  });

  it('are proposed for this step, and accepted one by one', () => {
    const suggestion = (id: string, at: string) => ({ step: at, check: { ...check, id }, reason: 'The heading says it.', heldOn: 2 });
    const all = [suggestion('n1', 'a'), suggestion('n2', 'a'), suggestion('n3', 'b')];
    const { click, edits, text, element } = list([check], { checkSuggestions: () => of(all) });
    click('Suggest checks');
    expect(text()).toContain('The heading says it. Tried on 2 good answers: it holds.');
    const accepts = () => [...element.querySelectorAll('button')].filter((button) => button.textContent.includes('Accept'));
    expect(accepts()).toHaveLength(2);
    click('Accept');
    expect(edits()).toEqual([set([check, { ...check, id: 'n1' }])]);
    expect(accepts()).toHaveLength(1);
  });

  it('say so where nothing can be proposed', () => {
    const { click, text } = list([], { checkSuggestions: () => of([]) });
    click('Suggest checks');
    expect(text()).toContain('Nothing to suggest for this step');
  });

  it('can be proposed again after the server was away', () => {
    const away = throwError(() => new HttpErrorResponse({ status: 503, error: { detail: 'The database is away.' } }));
    const { click, button } = list([], { checkSuggestions: () => away });
    click('Suggest checks');
    expect(button('Suggest checks').disabled).toBe(false);
  });
});
