import { TestBed } from '@angular/core/testing';
import { masked, type BodyRef } from '@sturdy/core';
import { of } from 'rxjs';
import { Api } from '../shared/api';
import { render } from '../test/render';
import { BodyView, splitHits } from './body-view';
import { jsonTree, TreeView, xmlTree } from './tree-view';

/** A body as it is shown. */
async function shown(text: string, mimeType: string, more: Partial<BodyRef> & { sought?: string } = {}) {
  TestBed.configureTestingModule({ providers: [{ provide: Api, useValue: { body: () => of(text), secretsIn: () => of([]) } }] });
  const { sought = '', ...ref } = more;
  const rendered = render(BodyView, { body: { hash: 'h', size: text.length, mimeType, ...ref }, sought });
  await rendered.fixture.whenStable();
  rendered.fixture.detectChanges();
  const modes = () => [...rendered.element.querySelectorAll('[aria-pressed]')].map((mode) => mode.textContent.trim());
  const body = () => rendered.element.querySelector('pre')?.textContent ?? '';
  return { ...rendered, modes, body };
}

describe('a body', () => {
  it('that is JSON is a tree, in good order or as it came', async () => {
    const { modes, click, body, text } = await shown('{"lot":17,"rows":[{"id":"a"}]}', 'application/json');
    expect(modes()).toEqual(['Tree', 'Pretty', 'Raw']);
    expect(text()).toContain('lot:17');
    click('Pretty');
    expect(body()).toBe('{\n  "lot": 17,\n  "rows": [\n    {\n      "id": "a"\n    }\n  ]\n}');
    click('Raw');
    expect(body()).toBe('{"lot":17,"rows":[{"id":"a"}]}');
  });

  it('that says it is a document and is none is shown as it came', async () => {
    const { modes, body } = await shown('{"lot":', 'application/json');
    expect(modes()).toEqual(['Pretty', 'Raw']);
    expect(body()).toBe('{"lot":');
    expect((await shown('<a><b></a>', 'application/xml').catch(() => null))?.modes()).toBeUndefined();
  });

  it('of a form is a tree of its fields, the secret ones masked until they are asked for', async () => {
    const { text, click } = await shown('user=mara&password=tulip-9', 'application/x-www-form-urlencoded');
    expect(text()).toContain('user:mara');
    expect(text()).toContain(`password:${masked}`);
    click('Show secrets');
    expect(text()).toContain('password:tulip-9');
  });

  it('in which something is sought is shown as it came, with each hit marked', async () => {
    const { element, body } = await shown('{"lot":"Lot 17"}', 'application/json', { sought: 'LOT' });
    expect(body()).toBe('{"lot":"Lot 17"}');
    expect([...element.querySelectorAll('mark')].map((mark) => mark.textContent)).toEqual(['lot', 'Lot']);
  });

  it('that was cut while it was kept says so', async () => {
    const { text } = await shown('abc', 'text/plain', { wholeSize: 5_000_000 });
    expect(text()).toContain('Only the first 3 B of 5.0 MB were kept.');
  });

  it('that is long is cut on screen, and says how long it is', async () => {
    const { body } = await shown('x'.repeat(70_000), 'text/plain');
    expect(body().length).toBeLessThan(60_100);
    expect(body()).toContain('… cut here; 70.0 kB in all');
  });

  it('that is no text says so', async () => {
    expect((await shown('', 'image/png')).body()).toBe('Not text.');
  });

  it('that is not there says so', () => {
    TestBed.configureTestingModule({ providers: [{ provide: Api, useValue: {} }] });
    expect(render(BodyView, { body: null }).text()).toBe('No body.');
  });
});

describe('hits', () => {
  it('cut a text without losing a sign of it', () => {
    for (const [text, sought] of [
      ['aXbxc', 'x'],
      ['xx', 'x'],
      ['abc', 'q'],
      ['', 'x'],
      ['abc', ''],
    ] as const)
      expect(
        splitHits(text, sought)
          .map((part) => part.text)
          .join(''),
      ).toBe(text);
    expect(splitHits('aXbx', 'x').map(({ hit }) => hit)).toEqual([false, true, false, true]);
  });
});

describe('a tree', () => {
  it('of JSON keeps apart what is a text and what is a number', () => {
    expect(jsonTree('', { n: 1, t: '1', none: null, list: [true] })).toEqual({
      label: '',
      children: [
        { label: 'n', value: '1', children: [] },
        { label: 't', value: '"1"', children: [] },
        { label: 'none', value: 'null', children: [] },
        { label: 'list', children: [{ label: '0', value: 'true', children: [] }] },
      ],
    });
  });

  it('of XML has attributes first, then what is inside', () => {
    const document = new DOMParser().parseFromString('<lot id="7"><kg>12</kg><note unit="t">dry</note></lot>', 'application/xml');
    expect(xmlTree(document.documentElement)).toEqual({
      label: 'lot',
      children: [
        { label: '@id', value: '7', children: [] },
        { label: 'kg', value: '12', children: [] },
        {
          label: 'note',
          children: [
            { label: '@unit', value: 't', children: [] },
            { label: 'text', value: 'dry', children: [] },
          ],
        },
      ],
    });
  });

  it('with very many members shows the first, and says how many more there are', () => {
    TestBed.configureTestingModule({ providers: [{ provide: Api, useValue: {} }] });
    const nodes = Array.from({ length: 230 }, (_, at) => ({ label: String(at), value: 'x', children: [] }));
    const { element, text } = render(TreeView, { nodes });
    expect(element.querySelectorAll('.leaf')).toHaveLength(200);
    expect(text()).toContain('and 30 more; see the raw text');
  });

  it('is open for two levels', () => {
    TestBed.configureTestingModule({ providers: [{ provide: Api, useValue: {} }] });
    const { element } = render(TreeView, { nodes: [jsonTree('a', { b: { c: { d: 1 } } })] });
    expect([...element.querySelectorAll('details')].map(({ open }) => open)).toEqual([true, true, false]);
  });
});
