import { makeBoard, scriptFromTake, type BoardInput, type Proof, type Rehearsal, type Run, type Workload } from '../index.js';
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
