import { changeRequests, type Piece, type Rehearsal, type RequestStep, type Script } from '@sturdy/core';
import { scriptsActions } from './scripts.actions';
import { scriptsFeature } from './scripts.feature';
import { layRows, layStrings } from '../scripts/string-layout';

const request = (id: string, exchange: number): RequestStep => ({
  kind: 'request',
  id,
  name: `GET /${id}`,
  exchange,
  method: 'GET',
  origin: 'http://127.0.0.1:1',
  url: [{ kind: 'text', text: `/${id}` }],
  headers: [],
  body: null,
  bodyFile: null,
  expect: { statuses: [200], content: null, redirect: null, title: null, rootElement: null },
  followRedirects: false,
});

const script: Script = {
  id: 's',
  projectId: 'p',
  name: 'Book',
  takeId: 't',
  secondTakeId: null,
  made: [],
  unsure: [],
  transactions: [
    { kind: 'transaction', id: 't1', name: 'Sign in', steps: [request('s1', 1), { kind: 'pause', id: 'p1', ms: 500 }, request('s2', 2)] },
    {
      kind: 'transaction',
      id: 't2',
      name: 'Book',
      steps: [
        {
          ...request('s3', 3),
          url: [
            { kind: 'text', text: '/a/' },
            { kind: 'handoff', handoff: 'h1', recorded: '7' },
          ],
        },
      ],
    },
  ],
  handoffs: [
    {
      id: 'h1',
      name: 'key',
      origin: 's1',
      extractor: { kind: 'field', name: 'key', nth: 0 },
      evidence: 'proven',
      reason: 'r',
      recorded: '7',
    },
    {
      id: 'h2',
      name: 'other',
      origin: 's2',
      extractor: { kind: 'field', name: 'o', nth: 0 },
      evidence: 'likely',
      reason: 'r',
      recorded: '8',
    },
  ],
};

const { reducer } = scriptsFeature;
const opened = reducer(
  reducer(undefined, scriptsActions.scriptOpened({ id: 's' })),
  scriptsActions.scriptLoaded({ script, rehearsals: [] }),
);
const edited = (state: typeof opened, id: string) => reducer(state, scriptsActions.edited({ edit: { kind: 'delete', id } }));

describe('editing a script', () => {
  it('undoes and redoes, and forgets what was undone once something else is changed', () => {
    const twice = edited(edited(opened, 'p1'), 's2');
    expect(twice.current?.transactions[0]?.steps).toHaveLength(1);
    const undone = reducer(reducer(twice, scriptsActions.undone()), scriptsActions.undone());
    expect(undone.current).toEqual(script);
    expect(reducer(undone, scriptsActions.undone())).toBe(undone);
    expect(reducer(undone, scriptsActions.redone()).current?.transactions[0]?.steps).toHaveLength(2);
    expect(edited(undone, 's1').future).toEqual([]);
  });

  it('gives back the recorded value where the origin of a handoff was deleted', () => {
    const without = edited(opened, 's1').current;
    expect(without?.handoffs.map((handoff) => handoff.id)).toEqual(['h2']);
    expect(without?.transactions[1]?.steps[0]).toMatchObject({ url: [{ kind: 'text', text: '/a/7' }] });
  });

  it('moves a step past the edge of its transaction into the next', () => {
    const state = reducer(opened, scriptsActions.edited({ edit: { kind: 'move', id: 's2', by: 1 } }));
    expect(state.current?.transactions.map((transaction) => transaction.steps.map((step) => step.id))).toEqual([
      ['s1', 'p1'],
      ['s2', 's3'],
    ]);
  });
});

describe('a rehearsal that waits', () => {
  const rehearsal = { id: 'r1', number: 1, waitingAt: 's2' } as unknown as Rehearsal;

  it('is replaced by what became of it, and can be steered only while it plays', () => {
    const playing = reducer(opened, scriptsActions.rehearseWanted({ wish: null }));
    expect([playing.busy, playing.steerable]).toEqual(['Rehearsing', true]);
    const waiting = reducer(playing, scriptsActions.rehearsed({ rehearsal }));
    expect([waiting.busy, waiting.steerable]).toEqual([null, false]);
    const going = reducer(waiting, scriptsActions.commandGiven({ command: 'go' }));
    const ended = reducer(going, scriptsActions.rehearsed({ rehearsal: { ...rehearsal, waitingAt: undefined } }));
    expect(ended.rehearsals).toEqual([{ ...rehearsal, waitingAt: undefined }]);
  });

  it('says what its action has added', () => {
    const report = {
      handoffs: [{ name: 'form key', evidence: 'proven', reason: '', uses: 2 }],
      made: [],
      eased: [],
      replaced: [],
      unsure: 0,
    } as const;
    const mended = reducer(
      opened,
      scriptsActions.mended({ script, report: { ...report, handoffs: [...report.handoffs], made: [], eased: [], replaced: [] } }),
    );
    expect(mended.mended).toBe('Added the handoff form key. Rehearse again to see whether it holds.');
    expect(mended.past).toHaveLength(1);
  });
});

describe('a script that the server does not have yet', () => {
  it('is unsaved from a change, its undoing too, until just that script was taken, or could not be', () => {
    const once = edited(opened, 'p1');
    expect([opened.unsaved, once.unsaved, reducer(once, scriptsActions.undone()).unsaved]).toEqual([false, true, true]);
    const took = (state: typeof opened, sent: Script | null) =>
      reducer(state, scriptsActions.saved({ sent: sent ?? script, script: sent ?? script, changedToo: [] }));
    expect(took(once, once.current).unsaved).toBe(false);
    // Changed again while the first change was on its way.
    expect(took(edited(once, 's2'), once.current).unsaved).toBe(true);
    expect(reducer(once, scriptsActions.saveFailed()).unsaved).toBe(false);
    // What the server made of it is on the server.
    expect(reducer(once, scriptsActions.replaced({ script })).unsaved).toBe(false);
    // Another screen loads it before the server has the change: the change stays, and is taken as ever.
    const loaded = reducer(once, scriptsActions.scriptLoaded({ script, rehearsals: [] }));
    expect([loaded.current, took(loaded, once.current).unsaved]).toEqual([once.current, false]);
  });
});

describe('values in doubt', () => {
  it('are what correlation was not sure of, and what the step that left the take read from an answer; a later pass clears that', () => {
    const unsure = { step: 's2', place: 'path:1', value: 's2', origin: null, extractor: null, reason: 'r' };
    // As correlation binds a segment of a path: its percent signs are put on again when it is sent.
    const segment: Piece = {
      kind: 'wrap',
      encoding: 'percent',
      pieces: [{ kind: 'handoff', handoff: 'h1', recorded: '7' }],
      recorded: '7',
    };
    const bound = changeRequests(script, (step) => (step.id === 's3' ? { ...step, url: [{ kind: 'text', text: '/a/' }, segment] } : step));
    const doubted = { ...bound, unsure: [unsure] };
    const load = (rehearsals: Rehearsal[]) => reducer(opened, scriptsActions.scriptLoaded({ script: doubted, rehearsals }));
    const doubtful = (state: typeof opened) => scriptsFeature.selectDoubtful({ scripts: state }).map((place) => [place.step, place.kind]);
    const played = (verdict: string) => ({ id: 'r1', steps: [{ step: 's3', verdict }] }) as unknown as Rehearsal;
    expect(doubtful(load([]))).toEqual([['s2', 'unsure']]);
    const left = load([played('drifted')]);
    expect(doubtful(left)).toEqual([
      ['s2', 'unsure'],
      ['s3', 'handoff'],
    ]);
    expect(doubtful(reducer(left, scriptsActions.rehearsed({ rehearsal: { ...played('passed'), id: 'r2' } })))).toEqual([['s2', 'unsure']]);
    // What somebody decided comes back as a changed script, and can be undone.
    const decided = reducer(left, scriptsActions.bound({ script: bound }));
    expect([doubtful(decided), decided.past.at(-1)]).toEqual([[['s3', 'handoff']], doubted]);
  });
});

describe('the time spine', () => {
  it('numbers requests through, and leads each string from its origin to its uses', () => {
    const rows = layRows(script);
    expect(rows.filter((row) => row.kind === 'action').map((row) => row.number)).toEqual([1, 2, 3]);
    const [key, second] = layStrings(script, rows);
    const middle = (id: string) => rows.filter((row) => row.id === id).map((row) => row.top + row.height / 2)[0];
    expect(key).toMatchObject({ originY: middle('s1'), uses: [{ step: 's3', y: middle('s3') }] });
    expect(second?.uses).toEqual([]);
    // They overlap in time, so they do not share a lane.
    expect(key?.lane).not.toBe(second?.lane);
  });
});
