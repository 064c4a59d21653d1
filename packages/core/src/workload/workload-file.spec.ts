import {
  junitOf,
  onceInOrder,
  readWorkloadFile,
  sayWorkloadChange,
  workloadOfFile,
  writeWorkloadFile,
  type DataTable,
  type RunResult,
  type Workload,
} from '../index.js';

const workload: Workload = {
  id: 'file',
  projectId: 'file',
  name: 'Thursday',
  crews: [
    {
      id: 'c1',
      name: 'Book intake',
      scriptId: 'book.yaml',
      users: 7,
      think: { kind: 'scaled', factor: 0.5, ms: 1000, capMs: 9000, spread: { kind: 'log-normal', sigma: 0.3 } },
      pacing: { kind: 'start-to-start', seconds: 60, spreadPercent: 10 },
      iterations: null,
      startDelayMs: 200,
      onFailure: 'go-on',
    },
  ],
  curve: { kind: 'drawn', points: [{ seconds: 0, percent: 0 }, { seconds: 60, percent: 100 }], atEnd: 'now' }, // prettier-ignore
  criteria: [{ id: 'k1', measure: 'p95', transaction: 'Book intake', limit: 2000 }],
  stopRules: [{ id: 'r1', measure: 'error-rate', transaction: null, limit: 20, forSeconds: 10 }],
  limitSeconds: 90,
  generators: 2,
  seed: '7',
};
const table = { id: 'numbers', deal: onceInOrder } as DataTable;

describe('a workload as a file', () => {
  it('reads back as it was written', () => {
    const text = writeWorkloadFile(workload, { script: (id) => id, environment: 'env.yaml', data: [{ table, file: 'n.csv' }] });
    const read = readWorkloadFile(text);
    if ('problems' in read) throw new Error(JSON.stringify(read.problems));
    expect(workloadOfFile(read.file)).toEqual(workload);
    expect([read.file.environment, read.file.data]).toEqual(['env.yaml', [{ table: 'numbers', file: 'n.csv', deal: onceInOrder }]]);
  });

  it('needs a script only, and says where something is wrong', () => {
    const read = readWorkloadFile('crews:\n  - script: sub/book.yaml\n');
    if ('problems' in read) throw new Error(JSON.stringify(read.problems));
    expect(workloadOfFile(read.file)).toMatchObject({
      crews: [{ name: 'book', users: 1, think: { kind: 'recorded', capMs: 10_000 }, pacing: { kind: 'none' } }],
      curve: { kind: 'ramp', holdSeconds: 60 },
      generators: 1,
    });
    expect(readWorkloadFile('crews:\n  - script: a\n    users: many\n')).toMatchObject({ problems: [{ line: 3, column: 5 }] });
    expect(readWorkloadFile('crews: [')).toMatchObject({ problems: [{ line: 1 }] });
  });
});

describe('what differs between two states of a workload', () => {
  const say = (change: Partial<Workload>) => sayWorkloadChange(workload, { ...workload, ...change });
  const [crew] = workload.crews;
  if (!crew) throw new Error('no crew');

  it('is told with its figures, and is nothing where nothing changed', () => {
    expect(say({})).toBe('');
    expect(say({ crews: [{ ...crew, users: 9, think: { ...crew.think, factor: 1 } }], generators: 1 })).toBe(
      'generators 2 → 1 · Book intake: users 7 → 9, think',
    );
    expect(say({ curve: { kind: 'at-once', holdSeconds: 60, rampDownSeconds: 0, atEnd: 'now' } })).toBe('curve: drawn → at-once');
    expect(say({ crews: [crew, { ...crew, id: 'c2', name: 'Find' }], criteria: [], stopRules: [] })).toBe(
      'crew Find added · 1 criterion removed · 1 stop rule removed',
    );
  });
});

describe('a verdict as JUnit XML', () => {
  it('holds any text of a failing application, in well-formed XML', () => {
    const result = {
      run: { workload, startedAt: '2026-11-25T10:00:00.000Z', note: null },
      criteria: [{ criterion: workload.criteria[0], held: false, sentence: 'it said <b>"no" & \u0000 \ud800' }],
      trust: [{ good: true, sentence: 'fine' }],
      hostCriteria: [
        {
          limit: { id: 'l', host: '', figure: 'processor', limit: 70, forMinutes: 5 },
          held: false,
          measured: 90,
          marginPercent: -29,
          second: 3,
          sentence: 'Yard: processor misses.',
        },
      ],
      failures: [{ code: 'status-unexpected', subject: '503', transaction: 'Book <intake>', message: 'it said \u0001', count: 7 }],
      seconds: 60,
    } as unknown as RunResult;
    const text = junitOf(result);
    expect(text).toContain('name="Book intake: p95 ≤ 2000 ms"');
    expect(text).toContain('name="all hosts: processor ≤ 70 on average in any 5 min"');
    expect(text).toContain('>it said &lt;b&gt;"no" &amp; \ufffd \ufffd</failure>');
    expect(text).toContain('<system-out>7 × status-unexpected:503 in Book &lt;intake&gt;, first: it said \ufffd</system-out>');
  });
});
