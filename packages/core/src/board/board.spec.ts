import {
  BriefSchema,
  emptyBrief,
  makeBoard,
  signBrief,
  type ScheduledStart,
  scriptFromTake,
  type BoardInput,
  type Proof,
  type Rehearsal,
  type Run,
  type Workload,
} from '../index.js';
import { everything } from '../tidy/tidy.schema.js';
import { form, TakeBuilder } from '../test/take-builder.js';

const loaded = new TakeBuilder().add(['GET', '/a'], [200, []]).add(['POST', '/b', form, 'no=N77'], [200, []]).load();
const script = scriptFromTake(loaded, { scriptId: 's', name: 'Book', tidy: everything });
const take = { ...loaded.take, exchangeCount: 2 };
const rehearsal = (verdict: Rehearsal['verdict']): Rehearsal => ({
  id: 'r',
  scriptId: 's',
  number: 3,
  startedAt: '',
  verdict,
  steps: [],
  rows: [],
  divergence:
    verdict === 'passed' ? null : { step: 's2', number: 2, sentence: 'Step 2 left the take.', cause: 'unknown', advice: '', refused: null },
});
const workload: Workload = {
  id: 'w',
  projectId: 'p',
  name: 'Peak',
  criteria: [],
  generators: 1,
  seed: '1',
  curve: { kind: 'ramp', together: 1, rampUpSeconds: 0, holdSeconds: 1, rampDownSeconds: 0, atEnd: 'iteration' },
  crews: [
    {
      id: 'c',
      name: 'C',
      scriptId: 's',
      users: 1,
      think: { kind: 'none', factor: 1, ms: 0, capMs: 0 },
      pacing: { kind: 'none', seconds: 0 },
      onFailure: 'go-on',
    },
  ],
};
const run: Run = {
  id: 'q',
  projectId: 'p',
  number: 7,
  workload,
  environmentId: 'e',
  state: 'done',
  startedAt: '',
  endedAt: '',
  note: null,
  verdict: 'missed',
};
const input = (more: Partial<BoardInput>): BoardInput => ({
  takes: [],
  scripts: [],
  tables: [],
  rehearsals: new Map(),
  workloads: [],
  runs: [],
  brief: BriefSchema.parse({ aims: 'Hold it.' }),
  starts: [],
  ...more,
});
const next = (more: Partial<BoardInput>) => makeBoard(input(more)).next.map((proposal) => proposal.title);

describe('the board', () => {
  it('leads from the first take to the run, one thing after the other', () => {
    expect(next({})).toEqual(['Record the first take']);
    expect(next({ takes: [take] })).toEqual(['Make a script from flow']);
    const known = { takes: [take], scripts: [script] };
    expect(next(known)).toEqual(['Rehearse Book']);
    expect(next({ ...known, rehearsals: new Map([['s', [rehearsal('failed')]]]) })).toEqual(['Correlate Book']);
    const passed = { ...known, rehearsals: new Map([['s', [rehearsal('passed')]]]) };
    expect(next(passed)).toEqual(['Prove the pass of Book']);
    const proof: Proof = { state: 'proven', made: [], changed: [], open: [] };
    const proven = { ...known, rehearsals: new Map([['s', [{ ...rehearsal('passed'), proof }]]]) };
    expect(next(proven)).toEqual(['Give Book its own data']);
    expect(next({ ...proven, workloads: [workload], runs: [run] })).toEqual(['Give Book its own data', 'Look at run 7']);
  });

  it('begins with a start that is not ready or was missed, and with a brief that was changed after it was signed', () => {
    const start: ScheduledStart = {
      id: 's@1',
      projectId: 'p',
      scheduleId: 'n',
      schedule: 'Every night',
      workload: 'Peak',
      zone: 'Europe/Berlin',
      planned: '2026-12-02T01:30:00.000Z',
      at: '2026-12-02T01:30:00.000Z',
      state: 'waiting',
      readiness: {
        at: '2026-12-02T01:10:00.000Z',
        points: [{ kind: 'rows', state: 'bad', text: '“Bookings” has 4 free rows; about 900 are dealt.' }],
      },
      text: 'It will be left out, unless what was found is put right by then.',
      runId: null,
    };
    expect(next({ takes: [take], scripts: [script], starts: [start, { ...start, id: 's@0', state: 'missed' }] })).toEqual([
      'See to the next start of Every night',
      'Rehearse Book',
    ]);
    expect(next({ starts: [{ ...start, readiness: null }] })).toEqual(['Record the first take']);
    expect(next({ starts: [{ ...start, state: 'missed' }] })[0]).toBe('The last start of Every night was missed');
    const signed = signBrief(BriefSchema.parse({ aims: 'Hold it.' }), { by: 'Odile Marsh', role: '', at: '2026-11-30T10:00:00Z' });
    expect(next({ brief: signed })).toEqual(['Record the first take']);
    expect(next({ brief: { ...signed, aims: 'Hold more.' } })[0]).toBe('Have the brief signed again');
  });

  it('asks for a brief where there are runs and nobody said what good is', () => {
    expect(next({ takes: [take], scripts: [], runs: [{ ...run, verdict: 'held' }], brief: emptyBrief }).at(-1)).toBe(
      'Say in the brief what good is',
    );
    expect(next({ takes: [take], brief: emptyBrief })).not.toContain('Say in the brief what good is');
  });

  it('shows each script by shape, figure and detail, with a way in', () => {
    const [row] = makeBoard(
      input({ takes: [take], scripts: [script], rehearsals: new Map([['s', [rehearsal('drifted')]]]), workloads: [workload], runs: [run] }),
    ).rows;
    expect(row).toMatchObject({
      detail: '2 requests, 1 transaction',
      take: { shape: 'passed', figure: 'flow', detail: 'one only', link: '/takes/t' },
      handoffs: { shape: 'none', figure: 'none yet' },
      data: { shape: 'none', detail: 'as recorded' },
      rehearsal: { shape: 'drifted', figure: 'at step 2', detail: 'rehearsal 3' },
      workload: { shape: 'passed', figure: '1 user', detail: 'Peak' },
      lastRun: { shape: 'failed', figure: 'criteria missed', link: '/runs/q' },
    });
  });

  it('says when what a script needs was deleted', () => {
    expect(makeBoard(input({ scripts: [script] })).rows[0]?.take).toMatchObject({ shape: 'failed', figure: 'deleted' });
  });
});
