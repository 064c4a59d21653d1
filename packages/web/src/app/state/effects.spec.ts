import { HttpErrorResponse, HttpEventType, HttpResponse } from '@angular/common/http';
import type { DataTable, ImportedProject, ImportedTable, Run, RunResult, Script, Workload } from '@sturdy/core';
import { NEVER, of, Subject, throwError } from 'rxjs';
import { startEffects } from '../test/effects-under-test';
import { dataActions } from './data.actions';
import { dataEffects } from './data.effects';
import { hostsActions } from './hosts.actions';
import { hostsEffects } from './hosts.effects';
import { messageActions } from './messages';
import { projectActions } from './project.actions';
import { projectsActions } from './projects.actions';
import { projectsEffects } from './projects.effects';
import { projectEffects } from './project.effects';
import { runsActions } from './runs.actions';
import { runsEffects } from './runs.effects';
import { scriptsActions } from './scripts.actions';
import { scriptsEffects } from './scripts.effects';
import { takesActions } from './takes.actions';
import { takesEffects } from './takes.effects';
import { workloadsActions } from './workloads.actions';
import { workloadsEffects } from './workloads.effects';

const refused = (detail: string) => throwError(() => new HttpErrorResponse({ status: 422, error: { detail } }));
const table = { id: 'd1', name: 'Lots', rowCount: 3 } as DataTable;
const script = { id: 's1', name: 'S', takeId: 't1', transactions: [], handoffs: [], made: [], unsure: [] } as unknown as Script;
const typesOf = (actions: readonly { type: string }[]) => actions.map(({ type }) => type);

/** Live streams of the page are event sources, which the test environment does not have. */
class NoEvents {
  addEventListener = () => undefined;
  close = () => undefined;
}
const before = globalThis.EventSource;
beforeAll(() => {
  globalThis.EventSource = NoEvents as unknown as typeof EventSource;
});
afterAll(() => {
  globalThis.EventSource = before;
});
beforeEach(() => jest.useFakeTimers());
afterEach(() => jest.useRealTimers());

describe('effects', () => {
  it('tell a call that failed as a message, go on, and let what they had begun end', () => {
    const startRun = jest
      .fn()
      .mockReturnValueOnce(refused('A run is live.'))
      .mockReturnValue(of({ id: 'r1' }));
    const { send, answered, navigated } = startEffects(workloadsEffects, { startRun });
    send(workloadsActions.runWanted({ id: 'w' }));
    expect(answered).toEqual([messageActions.told({ tone: 'bad', text: 'A run is live.' }), workloadsActions.runStartEnded()]);
    send(workloadsActions.runWanted({ id: 'w' }));
    expect(answered.slice(2)).toEqual([workloadsActions.runStartEnded()]);
    expect(navigated).toEqual([['/runs', 'r1']]);
  });

  it('save the last of many changes of a workload, and forecast it sooner', () => {
    const saveWorkload = jest.fn((workload: Workload) => of(workload));
    const forecast = jest.fn(() => NEVER);
    const { send, answered } = startEffects(workloadsEffects, { saveWorkload, forecast });
    for (const name of ['a', 'ab', 'abc']) {
      send(workloadsActions.changed({ workload: { id: 'w', name } as Workload }));
      jest.advanceTimersByTime(100);
    }
    jest.advanceTimersByTime(50);
    expect([forecast.mock.calls.length, saveWorkload.mock.calls.length]).toEqual([1, 0]);
    jest.advanceTimersByTime(150);
    expect(saveWorkload.mock.calls).toEqual([[{ id: 'w', name: 'abc' }]]);
    expect(answered).toEqual([workloadsActions.saved()]);
  });

  it('open a workload with what the list says of it, and none that is gone', () => {
    const list = [{ id: 'w', name: 'W' }] as Workload[];
    const { send, answered } = startEffects({ list: workloadsEffects.list }, { workloads: () => of(list) });
    send(workloadsActions.opened({ id: 'w' }));
    send(workloadsActions.opened({ id: 'gone' }));
    send(workloadsActions.listAsked());
    expect(typesOf(answered)).toEqual([
      workloadsActions.listLoaded.type,
      workloadsActions.changed.type,
      workloadsActions.listLoaded.type,
      workloadsActions.listLoaded.type,
    ]);
  });

  it('change a table one change after the other, and read it anew where one was refused', () => {
    const first = new Subject<DataTable>();
    const changeTable = jest.fn().mockReturnValueOnce(first).mockReturnValue(refused('This is the last column.'));
    const { send, answered } = startEffects({ change: dataEffects.change }, { changeTable });
    const change = { kind: 'delete-column', column: 0 } as const;
    send(dataActions.changeWanted({ tableId: 'd1', change }));
    send(dataActions.changeWanted({ tableId: 'd1', change }));
    expect(changeTable).toHaveBeenCalledTimes(1);
    first.next(table);
    first.complete();
    expect(changeTable).toHaveBeenCalledTimes(2);
    expect(answered).toEqual([
      dataActions.tableChanged({ table }),
      messageActions.told({ tone: 'bad', text: 'This is the last column.' }),
      dataActions.listAsked(),
    ]);
  });

  it('show how far an import is, lead to the table, and say what did not fit; a cancelled one ends in silence', () => {
    const upload = new Subject<unknown>();
    const imported = { table, problemCount: 2, twice: [], read: 'comma', problems: [] } as unknown as ImportedTable;
    const { send, answered, navigated } = startEffects({ importFile: dataEffects.importFile }, { importTable: () => upload });
    const file = new Blob(['x']);
    send(dataActions.fileChosen({ name: 'Lots', file, ragged: 'skip' }));
    upload.next({ type: HttpEventType.Sent });
    upload.next({ type: HttpEventType.UploadProgress, loaded: 5, total: 10 });
    upload.next(new HttpResponse({ body: imported }));
    expect(answered).toEqual([
      dataActions.uploadTold({ sentBytes: 5, totalBytes: 10 }),
      dataActions.imported(imported),
      messageActions.told({ tone: 'warn', text: 'Imported 3 rows (comma). 2 lines did not fit; see the list.' }),
    ]);
    expect(navigated).toEqual([['/data', 'd1']]);
    send(dataActions.fileChosen({ name: 'Lots', file, ragged: 'skip' }));
    send(dataActions.importCancelled());
    expect(upload.observed).toBe(false);
    expect(answered).toHaveLength(3);
  });

  it('read the versions of a table that is open, and again when it changes', () => {
    const tableVersions = jest.fn(() => of([]));
    const { send, answered } = startEffects({ versions: dataEffects.versions }, { tableVersions });
    send(dataActions.versionsAsked({ tableId: 'd1' }));
    send(dataActions.tableChanged({ table: { ...table, id: 'd2' } }));
    expect(tableVersions.mock.calls).toEqual([['d1'], ['d2']]);
    expect(answered).toContainEqual(dataActions.versionsLoaded({ tableId: 'd2', versions: [] }));
  });

  it('say how many rows were released', () => {
    const release = jest
      .fn()
      .mockReturnValueOnce(of({ released: 1 }))
      .mockReturnValue(of({ released: 5 }));
    const { send, answered } = startEffects({ release: dataEffects.release }, { release });
    send(dataActions.releaseWanted({ tableId: 'd1', rows: [4] }));
    send(dataActions.releaseWanted({ tableId: 'd1', rows: null }));
    expect(answered.flatMap((action) => ('text' in action ? [action.text] : []))).toEqual([
      '1 row was released and will be dealt again.',
      '5 rows were released and will be dealt again.',
    ]);
  });

  it('correlate a script once its last change is saved', () => {
    const saveScript = jest.fn(() => NEVER);
    const correlate = jest.fn(() => NEVER);
    const { send } = startEffects({ save: scriptsEffects.save, correlate: scriptsEffects.correlate }, { saveScript, correlate });
    send(scriptsActions.scriptLoaded({ script, rehearsals: [] }));
    send(scriptsActions.edited({ edit: { kind: 'insert-transaction', after: null, name: 'New' } }));
    jest.advanceTimersByTime(300);
    send(scriptsActions.correlateWanted({ secondTakeId: 't2' }));
    expect(correlate).not.toHaveBeenCalled();
    const [sent] = saveScript.mock.lastCall as unknown as [Script];
    send(scriptsActions.saved({ sent, script: sent, changedToo: [] }));
    expect(correlate).toHaveBeenCalledWith('s1', 't2');
  });

  it('ask nothing of a script where none is open', () => {
    const repair = jest.fn(() => NEVER);
    const { send } = startEffects({ repair: scriptsEffects.repair }, { repair });
    send(scriptsActions.repairWanted());
    expect(repair).not.toHaveBeenCalled();
  });

  it('tell of what a part or a piece of a take sends and this script does not read', () => {
    const api = {
      usePart: () => of({ script, missing: ['the visit'] }),
      insertFromTake: () => of({ script, added: ['s7'], missing: [] }),
    };
    const { send, answered } = startEffects({ usePart: scriptsEffects.usePart, piece: scriptsEffects.piece }, api);
    send(scriptsActions.scriptLoaded({ script, rehearsals: [] }));
    send(scriptsActions.partUseWanted({ part: 'p1', after: null }));
    send(scriptsActions.pieceWanted({ piece: {} as never }));
    expect(typesOf(answered)).toEqual([
      scriptsActions.replaced.type,
      messageActions.told.type,
      scriptsActions.replaced.type,
      takesActions.listAsked.type,
      takesActions.takeOpened.type,
      scriptsActions.stepSelected.type,
      messageActions.told.type,
    ]);
    expect(answered[1]).toMatchObject({ tone: 'warn', text: expect.stringContaining('The part sends the visit') as string });
    expect(answered[6]).toMatchObject({ tone: 'good', text: '1 step was put in. All that they send is read in this script.' });
  });

  it('lead to what was made: a take, a script, a rehearsal, a handoff', () => {
    const takes = startEffects(
      { stop: takesEffects.stop, script: takesEffects.script, remove: takesEffects.remove },
      { stopRecording: () => of({ id: 't9' }), makeScript: () => of(script), deleteTake: () => of({}) },
    );
    takes.send(takesActions.stopWanted());
    takes.send(takesActions.scriptWanted({ takeId: 't9', options: {} as never }));
    takes.send(takesActions.deleteWanted({ id: 't9' }));
    expect(takes.navigated).toEqual([['/takes', 't9'], ['/scripts', 's1'], ['/takes']]);
    expect(typesOf(takes.answered).slice(2)).toEqual([takesActions.listAsked.type, projectActions.boardAsked.type]);
  });

  it('lead to the rehearsal and the handoff that were made of a script', () => {
    const { send, navigated } = startEffects(
      { rehearse: scriptsEffects.rehearse, handOff: scriptsEffects.handOff },
      { rehearse: () => of({ id: 'x', scriptId: 's1', steps: [] }), handOff: () => of({ script, handoff: 'h1' }) },
    );
    send(scriptsActions.scriptLoaded({ script, rehearsals: [] }));
    send(scriptsActions.rehearseWanted({ wish: {} as never }));
    send(scriptsActions.handOffWanted({ step: 's1', place: 'query:no', value: '7' }));
    expect(navigated).toEqual([
      ['/scripts', 's1', 'rehearsal'],
      ['/scripts', 's1', 'handoffs', 'h1'],
    ]);
  });

  it('search a take once nothing more is typed, and not for nothing', () => {
    const searchTake = jest.fn(() => of({ hits: [], more: false }));
    const { send, answered } = startEffects({ search: takesEffects.search }, { searchTake });
    for (const text of ['y', 'ya', 'yard']) send(takesActions.searchAsked({ id: 't1', text }));
    jest.advanceTimersByTime(300);
    send(takesActions.searchAsked({ id: 't1', text: '' }));
    jest.advanceTimersByTime(300);
    expect(searchTake.mock.calls).toEqual([['t1', 'yard']]);
    expect(answered).toEqual([takesActions.searchDone({ text: 'yard', hits: [], more: false })]);
  });

  it('give commands to a live run in the order in which they were wanted', () => {
    const paused = new Subject<unknown>();
    const calls: string[] = [];
    const api = {
      pauseRun: () => (calls.push('pause'), paused),
      resumeRun: () => (calls.push('resume'), of({})),
      abortRun: () => (calls.push('abort'), refused('The run has ended.')),
      changeUsers: (...given: unknown[]) => (calls.push(`users ${given.join(' ')}`), of({})),
    };
    const { send, answered } = startEffects({ steer: runsEffects.steer }, api);
    send(runsActions.pauseWanted({ id: 'r' }));
    send(runsActions.resumeWanted({ id: 'r' }));
    expect(calls).toEqual(['pause']);
    paused.next({});
    paused.complete();
    send(runsActions.abortWanted({ id: 'r' }));
    send(runsActions.usersWanted({ id: 'r', crew: 'c', users: 7 }));
    expect(calls).toEqual(['pause', 'resume', 'abort', 'users r c 7']);
    expect(typesOf(answered)).toEqual([runsActions.asked.type, runsActions.asked.type, messageActions.told.type, runsActions.asked.type]);
  });

  it('load a run with its lanes, hosts and users at once', () => {
    const result = { run: { state: 'done' } as Run } as RunResult;
    const { send, answered } = startEffects(
      { open: runsEffects.open },
      { run: () => of(result), lanes: () => of([]), runHosts: () => of([]), usersNow: () => of([]) },
    );
    send(runsActions.opened({ id: 'r' }));
    expect(answered).toEqual([runsActions.loaded({ result, lanes: [], hosts: [], users: [] })]);
  });

  it('write the watches of a project beside what was changed there meanwhile', () => {
    const saveProjectSettings = jest.fn((settings: unknown) => of(settings));
    const { send } = startEffects(
      { save: hostsEffects.save },
      { projectSettings: () => of({ name: 'changed meanwhile', watches: [] }), saveProjectSettings },
    );
    send(hostsActions.changed({ watches: [{ id: 'w1' } as never] }));
    expect(saveProjectSettings).toHaveBeenCalledWith({ name: 'changed meanwhile', watches: [{ id: 'w1' }] });
  });

  it('ask hosts every two seconds while their screen is open, and say why nothing could be read', () => {
    const hostsNow = jest.fn().mockReturnValueOnce(of([])).mockReturnValue(refused('The server is away.'));
    const { send, answered } = startEffects({ follow: hostsEffects.follow }, { hostsNow });
    send(hostsActions.opened());
    jest.advanceTimersByTime(4100);
    send(hostsActions.closed());
    jest.advanceTimersByTime(10_000);
    expect(answered).toEqual([
      hostsActions.read({ now: [] }),
      hostsActions.unreadable({ problem: 'The server is away.' }),
      hostsActions.unreadable({ problem: 'The server is away.' }),
    ]);
  });

  it('import a project with its progress, and read the list anew after each change of one', () => {
    const upload = new Subject<unknown>();
    const { send, answered } = startEffects(projectsEffects, {
      importProject: () => upload,
      changeProject: () => refused('Run 3 goes on in it.'),
      giveSecrets: () => of([]),
      projects: () => of([]),
    });
    send(projectsActions.fileChosen({ file: new File(['xyz'], 'a.zip') }));
    upload.next({ type: HttpEventType.UploadProgress, loaded: 2, total: 3 });
    const imported = { project: { id: 'p2', name: 'A', state: 'active' }, missing: [], uncleared: [] } satisfies ImportedProject;
    upload.next(new HttpResponse({ body: imported }));
    expect(answered).toEqual([
      projectsActions.importProgressed({ loaded: 2, total: 3 }),
      projectsActions.projectImported({ imported }),
      projectsActions.listAsked(),
    ]);
    send(projectsActions.projectChanged({ project: { id: 'p1', name: 'P', state: 'deleted' } }));
    send(projectsActions.secretsGiven({ id: 'p1', secrets: { A: 'x' } }));
    expect(answered.slice(3)).toEqual([
      messageActions.told({ tone: 'bad', text: 'Run 3 goes on in it.' }),
      projectsActions.listAsked(),
      projectsActions.secretsKept({ missing: [] }),
      projectActions.opened(),
    ]);
  });

  it('look for what is live again after the server was away', () => {
    const live = { recording: null, run: null, databaseAway: null };
    const asked = jest.fn().mockReturnValueOnce(refused('away')).mockReturnValue(of(live));
    const { send, answered } = startEffects({ live: projectEffects.live }, { live: asked });
    send(projectActions.liveAsked());
    jest.advanceTimersByTime(1600);
    expect(answered).toEqual([projectActions.liveLoaded({ live })]);
  });
});
