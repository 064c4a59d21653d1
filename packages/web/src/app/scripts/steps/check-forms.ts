import type { Checked, CheckKindName } from '@sturdy/core';

const anyId = { kind: 'jsonpath' as const, path: '$.id', pick: 'first' as const };

/** What the form of each kind of check is called, and what it begins with; its fields are in `check-form.ts`. */
export const checkForms: { [Kind in CheckKindName]: { name: string; blank: Extract<Checked, { kind: Kind }> } } = {
  text: { name: 'a text stands in the answer', blank: { kind: 'text', text: [], present: true } },
  value: { name: 'a value that is read', blank: { kind: 'value', extractor: anyId, is: 'equals', than: [] } },
  count: {
    name: 'how many there are of something',
    blank: { kind: 'count', extractor: { kind: 'jsonpath', path: '$.items[*]', pick: 'first' }, atLeast: 1, atMost: null },
  },
  status: { name: 'the status', blank: { kind: 'status', statuses: [200] } },
  redirect: { name: 'where it redirects to', blank: { kind: 'redirect', to: [] } },
  size: { name: 'the size', blank: { kind: 'size', atLeast: 1, atMost: null } },
  time: { name: 'the response time', blank: { kind: 'time', atMostMs: 1000 } },
};
