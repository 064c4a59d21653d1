import type { Script } from '@sturdy/core';

/** A script of one transaction with one request. */
export const oneRequest = (origin: string, url: string): Script => ({
  id: 's',
  projectId: 'p',
  name: 'S',
  takeId: 't',
  secondTakeId: null,
  handoffs: [],
  made: [],
  unsure: [],
  transactions: [
    {
      kind: 'transaction',
      id: 't1',
      name: 'T',
      steps: [
        {
          kind: 'request',
          id: 's1',
          name: 'GET /',
          exchange: null,
          method: 'GET',
          origin,
          url: [{ kind: 'text', text: url }],
          headers: [],
          body: null,
          bodyFile: null,
          expect: { statuses: [200], content: null, redirect: null, title: null, rootElement: null },
          followRedirects: false,
        },
      ],
    },
  ],
});
