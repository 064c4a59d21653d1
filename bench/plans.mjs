// Plans for generators, as the benches play them.
import { plainEnvironment } from '../packages/core/dist/index.js';
export const text = (value) => [{ kind: 'text', text: value }];
const expect = { statuses: [200], content: null, redirect: null, title: null, rootElement: null };

/** A request of a script. */
export const step = (origin, id, method, target, more = {}) => ({
  kind: 'request',
  id,
  name: id,
  exchange: null,
  method,
  origin,
  url: text(target),
  headers: [{ name: 'Accept', value: text('*/*') }],
  body: null,
  bodyFile: null,
  expect,
  followRedirects: false,
  ...more,
});

export const script = (steps, handoffs = []) => ({
  id: 's',
  projectId: 'p',
  name: 's',
  takeId: 't',
  secondTakeId: null,
  handoffs,
  made: [],
  unsure: [],
  transactions: [{ kind: 'transaction', id: 't1', name: 'T', steps }],
});

export const environment = (origin) => plainEnvironment({ id: 'e', projectId: 'p', name: 'bench', targets: [origin] });

/** A plan of one crew for one generator. */
export const planOf = (origin, steps, users, curve, pacing) => ({
  version: 1,
  runId: 'bench',
  generator: 0,
  generators: 1,
  scripts: [script(steps)],
  crews: [
    {
      crew: {
        id: 'c',
        name: 'C',
        scriptId: 's',
        users,
        think: { kind: 'none', factor: 1, ms: 0, capMs: 0 },
        pacing,
        onFailure: 'next-iteration',
      },
      users: Array.from({ length: users }, (_, place) => ({ place, user: place + 1 })),
    },
  ],
  curve,
  environment: environment(origin),
  seed: '1',
  samples: false,
  tables: [],
  files: [],
  secrets: [],
});
