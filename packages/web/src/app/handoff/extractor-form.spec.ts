import { ExtractorSchema, type Extractor, type ExtractorKindName } from '@sturdy/core';
import { heard, render } from '../test/render';
import { ExtractorForm } from './extractor-form';
import { extractorForms } from './extractor-forms';

/** The form over a way to read; what it changes comes back into it. */
function form(extractor: Extractor, offered?: ExtractorKindName[]) {
  const rendered = render(ExtractorForm, { value: extractor, ...(offered && { offered }) });
  const changes = heard(rendered.component.changed);
  rendered.component.changed.subscribe((value) => {
    rendered.give({ value });
  });
  return { ...rendered, last: () => changes.at(-1) };
}
const kinds = Object.keys(extractorForms) as ExtractorKindName[];

describe('a way to read a value, as a form', () => {
  it.each(kinds)('asks for each text that %s is made of, and begins with what only has to be filled in', (kind) => {
    const { blank, texts } = extractorForms[kind];
    const { enter, last } = form(blank);
    for (const { label } of texts) enter(label, '/a');
    const filled = ExtractorSchema.safeParse(last());
    expect(filled.error).toBeUndefined();
    for (const { key } of texts) expect(last()).toHaveProperty(key, '/a');
  });

  it.each(kinds)('offers for %s the matches that it can pick', (kind) => {
    const { blank, picks } = extractorForms[kind];
    const { element } = form(blank);
    const offered = [...element.querySelectorAll('label')]
      .filter((label) => label.textContent.trim().startsWith('Which match'))
      .flatMap((label) => [...label.querySelectorAll('option')].map((option) => option.value));
    expect(offered.sort()).toEqual([...picks].sort());
  });

  it('offers what makes sense of the answer only', () => {
    const { field } = form(extractorForms.jsonpath.blank, ['jsonpath', 'between']);
    expect([...(field('Read') as HTMLSelectElement).options].map(({ value }) => value)).toEqual(['jsonpath', 'between']);
  });

  it('picks a match by its number, counted from 1', () => {
    const { enter, last, element } = form({ kind: 'between', left: 'a', right: 'b', nth: 0 });
    enter('Which match', 'nth');
    expect(last()).toEqual({ kind: 'between', left: 'a', right: 'b', nth: 1 });
    enter('Number, from 1', '4');
    expect(last()).toMatchObject({ nth: 3 });
    enter('Number, from 1', '0');
    expect(last()).toMatchObject({ nth: 3 });
    enter('Which match', 'last');
    expect(last()).toEqual({ kind: 'between', left: 'a', right: 'b', nth: 0, pick: 'last' });
    enter('Which match', 'first');
    expect(last()).toEqual({ kind: 'between', left: 'a', right: 'b', nth: 0 });
    expect(element.textContent).not.toContain('Number, from 1');
  });

  it('picks in JSON by words', () => {
    const { enter, last } = form({ kind: 'jsonpath', path: '$.id', pick: 'first' });
    enter('Which match', 'any');
    expect(last()).toEqual({ kind: 'jsonpath', path: '$.id', pick: 'any' });
  });

  it('finds an element by an attribute of its own, or by none', () => {
    const { enter, last } = form({ kind: 'attribute', element: 'meta', by: null, attribute: 'content', nth: 0 });
    enter('where', 'name');
    enter('is', 'form-key');
    expect(last()).toMatchObject({ by: { name: 'name', value: 'form-key' } });
    enter('where', '');
    expect(last()).toMatchObject({ by: null });
  });

  it('is narrowed by a text in the same row, cut, and unwrapped; what is emptied goes', () => {
    const { enter, last } = form({ kind: 'field', name: 'key', nth: 0 });
    enter('Only where this text stands beside it', 'Lot 7');
    enter('From after', '(');
    enter('up to', ')');
    enter('Wrapping to take off', 'base64');
    expect(last()).toEqual({
      kind: 'field',
      name: 'key',
      nth: 0,
      beside: [{ kind: 'text', text: 'Lot 7' }],
      within: { left: '(', right: ')' },
      decode: ['base64'],
    });
    enter('Only where this text stands beside it', '');
    enter('From after', '');
    enter('up to', '');
    enter('Wrapping to take off', '');
    expect(last()).toEqual({ kind: 'field', name: 'key', nth: 0 });
  });

  it('keeps cut, wrapping and neighbour when something else is read', () => {
    const { enter, last } = form({ kind: 'field', name: 'key', nth: 2, within: { left: '(', right: ')' }, decode: ['hex'] });
    enter('Read', 'regex');
    expect(last()).toEqual({ kind: 'regex', pattern: '', nth: 0, within: { left: '(', right: ')' }, decode: ['hex'] });
  });
});
