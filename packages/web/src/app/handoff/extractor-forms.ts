import type { Extractor, ExtractorKindName } from '@sturdy/core';

/** Which of several matches can be chosen. */
type Pick = 'first' | 'last' | 'any' | 'nth';

/** How a way to read a value is filled in. */
interface ExtractorFormKind {
  name: string;
  /** What the form begins with. */
  blank: Extractor;
  /** The texts that it is made of, with what they are called and an example. */
  texts: { key: string; label: string; hint: string }[];
  /** Which of several matches can be chosen; none where there is one only. */
  picks: readonly Pick[];
}

const byNumber = ['first', 'nth'] as const;
const byPick = ['first', 'last', 'any'] as const;
const anyWay = ['first', 'last', 'any', 'nth'] as const;

/** The forms of all ways to read a value. */
export const extractorForms: { [Kind in ExtractorKindName]: ExtractorFormKind } = {
  header: {
    name: 'a header',
    blank: { kind: 'header', name: 'location' },
    texts: [{ key: 'name', label: 'Name of the header', hint: 'location' }],
    picks: [],
  },
  cookie: {
    name: 'a cookie',
    blank: { kind: 'cookie', name: '' },
    texts: [{ key: 'name', label: 'Name of the cookie', hint: 'visit' }],
    picks: [],
  },
  field: {
    name: 'a form field',
    blank: { kind: 'field', name: '', nth: 0 },
    texts: [{ key: 'name', label: 'Name of the field', hint: 'key' }],
    picks: byNumber,
  },
  labelled: {
    name: 'what a label of the page stands for',
    blank: { kind: 'labelled', label: '', nth: 0 },
    texts: [{ key: 'label', label: 'Label as people read it', hint: 'Intake number' }],
    picks: anyWay,
  },
  attribute: {
    name: 'an attribute of an element',
    blank: { kind: 'attribute', element: 'a', by: null, attribute: 'href', nth: 0 },
    texts: [
      { key: 'element', label: 'Element', hint: 'meta' },
      { key: 'attribute', label: 'Attribute', hint: 'content' },
    ],
    picks: anyWay,
  },
  jsonpath: {
    name: 'a member of JSON',
    blank: { kind: 'jsonpath', path: '$.id', pick: 'first' },
    texts: [{ key: 'path', label: 'Path (JSONPath, RFC 9535)', hint: '$.items[*].id' }],
    picks: byPick,
  },
  xml: {
    name: 'an element of XML',
    blank: { kind: 'xml', path: '/', nth: 0 },
    texts: [{ key: 'path', label: 'Path of elements', hint: '/release/intake' }],
    picks: byNumber,
  },
  xpath: {
    name: 'XPath over XML',
    blank: { kind: 'xpath', expression: '//id', pick: 'first' },
    texts: [{ key: 'expression', label: 'Expression (XPath 3.1)', hint: '//m:row[m:state = "free"]/@id' }],
    picks: byPick,
  },
  between: {
    name: 'the text between two others',
    blank: { kind: 'between', left: '', right: '', nth: 0 },
    texts: [
      { key: 'left', label: 'Text before', hint: 'data-id="' },
      { key: 'right', label: 'Text after', hint: '"' },
    ],
    picks: anyWay,
  },
  regex: {
    name: 'an expression',
    blank: { kind: 'regex', pattern: '', nth: 0 },
    texts: [{ key: 'pattern', label: 'Expression; its first group is read', hint: 'id=(\\d+)' }],
    picks: anyWay,
  },
};
