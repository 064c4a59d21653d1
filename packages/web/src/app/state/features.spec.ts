import type {
  CountedTake,
  DataTable,
  Environment,
  Exchange,
  HostNow,
  ImportedTable,
  ProjectSettings,
  Survey,
  Take,
  Workload,
} from '@sturdy/core';
import { dataActions } from './data.actions';
import { dataFeature } from './data.feature';
import { hostsActions } from './hosts.actions';
import { hostsFeature } from './hosts.feature';
import { messageActions, messagesFeature } from './messages';
import { projectActions } from './project.actions';
import { projectFeature } from './project.feature';
import { takesActions } from './takes.actions';
import { takesFeature } from './takes.feature';
import { workloadsActions } from './workloads.actions';
import { workloadsFeature } from './workloads.feature';
import type { Action } from '@ngrx/store';

/** The state of a feature after some actions. */
const after = <State>({ reducer }: { reducer: (state: State | undefined, action: Action) => State }, ...actions: Action[]): State => {
  const [first, ...others] = actions;
  return others.reduce((state, action) => reducer(state, action), reducer(undefined, first ?? { type: 'none' }));
};

const take = (id: string, startedAt = '2026-01-01'): Take => ({ id, name: id, startedAt, state: 'done' }) as Take;
const exchange = (n: number, url = `/${n}`) => ({ n, url }) as Exchange;

describe('the state of takes', () => {
  it('keeps exchanges in order, each once, as it was told last', () => {
    const { exchanges } = after(
      takesFeature,
      takesActions.takeLoaded({ take: take('t'), exchanges: [exchange(1), exchange(3)] }),
      takesActions.exchangeCame({ exchange: exchange(2) }),
      takesActions.exchangeCame({ exchange: exchange(3, '/finished') }),
      takesActions.exchangesDiscarded({ exchanges: [1] }),
    );
    expect(exchanges).toEqual([exchange(2), exchange(3, '/finished')]);
  });

  it('forgets what belongs to the take before, and keeps what belongs to this one', () => {
    const looked = [
      takesActions.takeLoaded({ take: take('t'), exchanges: [exchange(1)] }),
      takesActions.surveyLoaded({ id: 't', survey: { played: 1 } as Survey }),
      takesActions.searchDone({ text: 'x', hits: [], more: false }),
    ];
    expect(after(takesFeature, ...looked, takesActions.takeOpened({ id: 't' }))).toMatchObject({
      survey: { played: 1 },
      search: { text: 'x' },
    });
    expect(after(takesFeature, ...looked, takesActions.takeOpened({ id: 'u' }))).toMatchObject({
      current: null,
      exchanges: [],
      survey: null,
      search: null,
    });
  });

  it('takes in no survey of another take, which may come late', () => {
    const { survey } = after(
      takesFeature,
      takesActions.takeLoaded({ take: take('t'), exchanges: [] }),
      takesActions.surveyLoaded({ id: 'u', survey: { played: 1 } as Survey }),
    );
    expect(survey).toBeNull();
  });

  it('shows how far an import is, and what was left out, until the next one', () => {
    const problems = [{ entry: 11, text: 'it has no address' }];
    const begun = [
      takesActions.harChosen({ name: 'a', file: new File(['12345'], 'a.har') }),
      takesActions.importProgressed({ loaded: 3, total: 5 }),
    ];
    expect(after(takesFeature, ...begun).importing).toEqual({ loaded: 3, total: 5 });
    const done = after(takesFeature, ...begun, takesActions.harImported({ take: take('t'), exchangeCount: 4, problems }));
    expect([done.importing, done.importProblems]).toEqual([null, problems]);
    expect(takesFeature.reducer(done, begun[0] ?? { type: '' }).importProblems).toEqual([]);
    expect(after(takesFeature, ...begun, takesActions.importCancelled()).importing).toBeNull();
  });

  it('lists takes by their start', () => {
    const list = [take('late', '2026-02-01'), take('early', '2026-01-01')] as CountedTake[];
    expect(after(takesFeature, takesActions.listLoaded({ list })).ids).toEqual(['early', 'late']);
  });

  it('has a proxy while it is recorded', () => {
    const recording = [takesActions.recordingStarted({ take: take('t'), proxy: '127.0.0.1:4391' })];
    expect(after(takesFeature, ...recording).proxy).toBe('127.0.0.1:4391');
    expect(after(takesFeature, ...recording, takesActions.recordingStopped({ take: take('t') })).proxy).toBeNull();
  });
});

describe('the state of data tables', () => {
  const table = (id: string, more: Partial<DataTable> = {}) => ({ id, name: id, rowCount: 1, ...more }) as DataTable;
  const listed = dataActions.listLoaded({ tables: [table('a'), table('b')] });

  it('shows a deal at once, and a changed table in its place', () => {
    const deal = { use: 'again' } as DataTable['deal'];
    const { tables } = after(
      dataFeature,
      listed,
      dataActions.dealWanted({ tableId: 'a', deal }),
      dataActions.tableChanged({ table: table('b', { rowCount: 9 }) }),
    );
    expect(tables).toEqual([table('a', { deal }), table('b', { rowCount: 9 })]);
  });

  it('follows an import from its start to what it found, which stays until it is closed', () => {
    const findings = { table: table('c'), problemCount: 1 } as ImportedTable;
    const begun = [
      dataActions.fileChosen({ name: 'c', file: new Blob(), ragged: 'stop' }),
      dataActions.uploadTold({ sentBytes: 4, totalBytes: null }),
      dataActions.rowsTold({ rows: 7 }),
    ];
    expect(after(dataFeature, ...begun).importing).toEqual({ name: 'c', sentBytes: 4, totalBytes: null, rows: 7 });
    const done = after(dataFeature, ...begun, dataActions.imported(findings));
    expect([done.importing, done.findings]).toEqual([null, expect.objectContaining(findings)]);
    expect(dataFeature.reducer(done, dataActions.findingsClosed()).findings).toBeNull();
    expect(after(dataFeature, ...begun, dataActions.importFailed()).importing).toBeNull();
    // What still comes of an import that was cancelled begins none.
    expect(after(dataFeature, ...begun, dataActions.importCancelled(), dataActions.rowsTold({ rows: 8 })).importing).toBeNull();
  });
});

describe('the state of workloads', () => {
  const workload = (id: string, name = id) => ({ id, name }) as Workload;

  it('shows a change at once, and forgets the forecast of another workload', () => {
    const opened = [
      workloadsActions.listLoaded({ list: [workload('a'), workload('b')] }),
      workloadsActions.opened({ id: 'a' }),
      workloadsActions.forecastLoaded({ forecast: { seconds: 9 } as never }),
      workloadsActions.changed({ workload: workload('a', 'renamed') }),
    ];
    expect(after(workloadsFeature, ...opened)).toMatchObject({ list: [{ name: 'renamed' }, { name: 'b' }], forecast: { seconds: 9 } });
    expect(after(workloadsFeature, ...opened, workloadsActions.opened({ id: 'b' }))).toMatchObject({ currentId: 'b', forecast: null });
  });

  it('is starting a run until that has begun or was refused', () => {
    const wanted = [workloadsActions.opened({ id: 'a' }), workloadsActions.runWanted({ id: 'a' })];
    expect(after(workloadsFeature, ...wanted).starting).toBe(true);
    expect(after(workloadsFeature, ...wanted, workloadsActions.runStartEnded()).starting).toBe(false);
  });
});

describe('the state of hosts', () => {
  const reading = (value: number | null, problem: string | null = null): HostNow => ({ watch: 'w', values: { load: value }, problem });

  it('remembers the last sixty readings of each figure, gaps among them', () => {
    const readings = Array.from({ length: 70 }, (_, at) => hostsActions.read({ now: [reading(at === 65 ? null : at)] }));
    const { readings: remembered } = after(hostsFeature, ...readings);
    expect(remembered['w/load']).toHaveLength(60);
    expect([remembered['w/load']?.[0], remembered['w/load']?.[55], remembered['w/load']?.[59]]).toEqual([10, null, 69]);
  });

  it('says what is wrong until hosts can be read again', () => {
    const away = after(hostsFeature, hostsActions.unreadable({ problem: 'The server is away.' }));
    expect(away.problem).toBe('The server is away.');
    const back = hostsFeature.reducer(away, hostsActions.read({ now: [reading(null, 'It refused.')] }));
    expect([back.problem, back.problems]).toEqual([null, { w: 'It refused.' }]);
  });

  it('shows changed watches at once, once there are settings to change', () => {
    const watches = [{ id: 'w' }] as ProjectSettings['watches'];
    expect(after(hostsFeature, hostsActions.changed({ watches })).settings).toBeNull();
    const loaded = hostsActions.loaded({ settings: { watches: [] } as unknown as ProjectSettings });
    expect(after(hostsFeature, loaded, hostsActions.changed({ watches })).settings?.watches).toEqual(watches);
  });
});

describe('the state of the project', () => {
  it('has the environments as the server keeps them, and one of them chosen', () => {
    const [first, second] = [
      { id: 'e1', name: 'Here' },
      { id: 'e2', name: 'There' },
    ] as [Environment, Environment];
    const chosenAfter = (...actions: Action[]) => {
      const state = after(projectFeature, ...actions);
      return projectFeature.selectEnvironment.projector(state.environments, state.chosen)?.name;
    };
    const loaded = projectActions.loaded({ environments: [first, second], chosen: 'e2' });
    expect(chosenAfter(loaded)).toBe('There');
    // What was chosen at an earlier visit may be gone.
    expect(chosenAfter(projectActions.loaded({ environments: [first], chosen: 'e2' }))).toBe('Here');
    expect(chosenAfter(loaded, projectActions.environmentChosen({ id: 'e1' }))).toBe('Here');
    expect(chosenAfter(loaded, projectActions.environmentRemoved({ id: 'e2' }))).toBe('Here');
    expect(chosenAfter(loaded, projectActions.environmentChanged({ environment: { ...second, name: 'New' } }))).toBe('There');
    expect(chosenAfter(loaded, projectActions.environmentSaved({ environment: { ...second, name: 'New' } }))).toBe('New');
    const third = { id: 'e3', name: 'Copy' } as Environment;
    expect(after(projectFeature, loaded, projectActions.environmentSaved({ environment: third })).environments).toEqual([
      first,
      second,
      third,
    ]);
  });

  it('knows that an environment is being saved until the server has answered, one way or the other', () => {
    const changed = projectActions.environmentChanged({ environment: { id: 'e' } as Environment });
    const saves = (...actions: Action[]) => after(projectFeature, ...actions).isSavingEnvironment;
    expect(saves()).toBe(false);
    expect(saves(changed)).toBe(true);
    expect(saves(changed, projectActions.environmentSaved({ environment: { id: 'e' } as Environment }))).toBe(false);
    expect(saves(changed, projectActions.environmentSaveFailed())).toBe(false);
  });
});

describe('messages', () => {
  it('are the last four, each with a number of its own, until they are closed', () => {
    const messages = ['a', 'b', 'c', 'd', 'e'].map((text) => messageActions.told({ tone: 'good', text }));
    const shown = after(messagesFeature, ...messages);
    expect(shown.list.map(({ text }) => text)).toEqual(['b', 'c', 'd', 'e']);
    expect(new Set(shown.list.map(({ id }) => id)).size).toBe(4);
    const id = shown.list[1]?.id ?? 0;
    expect(messagesFeature.reducer(shown, messageActions.closed({ id })).list.map(({ text }) => text)).toEqual(['b', 'd', 'e']);
    expect(messagesFeature.reducer(shown, messageActions.allClosed()).list).toEqual([]);
  });
});
