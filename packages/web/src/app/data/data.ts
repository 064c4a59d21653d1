import { HttpEventType } from '@angular/common/http';
import { inject } from '@angular/core';
import { Router } from '@angular/router';
import { Actions, createEffect, ofType } from '@ngrx/effects';
import { createActionGroup, createFeature, createReducer, emptyProps, on, props } from '@ngrx/store';
import type { DataTable, Deal, TableChange, TableVersion } from '@sturdy/core';
import { concat, concatMap, map, merge, of, switchMap, takeUntil, tap } from 'rxjs';
import { Api, projectId } from '../shared/api';
import type { ImportedTable } from '@sturdy/core';
import { liveStream } from '../shared/live-stream';
import { messageActions } from '../shared/messages';
import { orTell } from '../shared/problem-effect';
import type { GenerateWish } from './generate-form';
import type { QueryWish } from './query-dialog';

/** What becomes of lines with too few or too many fields. */
export type Ragged = 'skip' | 'fix' | 'stop';

/** A table that is being imported. */
export interface ImportUnderWay {
  name: string;
  sentBytes: number;
  totalBytes: number | null;
  rows: number;
}

/** Data tables, their versions and what is being imported; the rows of the open one are fetched by its grid. */
export const dataActions = createActionGroup({
  source: 'Data',
  events: {
    'List asked': emptyProps(),
    'List loaded': props<{ tables: DataTable[] }>(),
    'File chosen': props<{ name: string; file: Blob; ragged: Ragged }>(),
    'Query wanted': props<{ wanted: QueryWish }>(),
    'Upload told': props<{ sentBytes: number; totalBytes: number | null }>(),
    'Rows told': props<{ rows: number }>(),
    'Import cancelled': emptyProps(),
    Imported: props<ImportedTable>(),
    'Import failed': emptyProps(),
    'Findings closed': emptyProps(),
    'Generate wanted': props<{ wanted: GenerateWish }>(),
    Generated: props<{ table: DataTable }>(),
    'Change wanted': props<{ tableId: string; change: TableChange }>(),
    'Version wanted': props<{ tableId: string; version: number }>(),
    'Versions asked': props<{ tableId: string }>(),
    'Versions loaded': props<{ tableId: string; versions: TableVersion[] }>(),
    'Table changed': props<{ table: DataTable }>(),
    'Rename wanted': props<{ tableId: string; name: string }>(),
    /** The given rows, or all where `rows` is null. */
    'Release wanted': props<{ tableId: string; rows: number[] | null }>(),
    'Deal wanted': props<{ tableId: string; deal: Deal }>(),
    'Delete wanted': props<{ tableId: string }>(),
  },
});

interface DataState {
  tables: DataTable[];
  listed: boolean;
  importing: ImportUnderWay | null;
  /** What the last import found out, until it is closed. */
  findings: ImportedTable | null;
  versions: { tableId: string; list: TableVersion[] } | null;
}
const initial: DataState = { tables: [], listed: false, importing: null, findings: null, versions: null };
const starting = (name: string): ImportUnderWay => ({ name, sentBytes: 0, totalBytes: null, rows: 0 });

export const dataFeature = createFeature({
  name: 'data',
  reducer: createReducer(
    initial,
    on(dataActions.listLoaded, (state, { tables }) => ({ ...state, tables, listed: true })),
    // Shown at once, so that the next choice starts from it.
    on(dataActions.dealWanted, (state, { tableId, deal }) => ({
      ...state,
      tables: state.tables.map((table) => (table.id === tableId ? { ...table, deal } : table)),
    })),
    on(dataActions.tableChanged, (state, { table }) => ({
      ...state,
      tables: state.tables.map((dataTable) => (dataTable.id === table.id ? table : dataTable)),
    })),
    on(dataActions.versionsLoaded, (state, { tableId, versions }) => ({ ...state, versions: { tableId, list: versions } })),
    on(dataActions.fileChosen, (state, { name }) => ({ ...state, importing: starting(name), findings: null })),
    on(dataActions.queryWanted, (state, { wanted }) => ({ ...state, importing: starting(wanted.name), findings: null })),
    on(dataActions.uploadTold, (state, told) => ({ ...state, importing: state.importing && { ...state.importing, ...told } })),
    on(dataActions.rowsTold, (state, { rows }) => ({ ...state, importing: state.importing && { ...state.importing, rows } })),
    on(dataActions.imported, (state, imported) => ({ ...state, importing: null, findings: imported })),
    on(dataActions.importFailed, dataActions.importCancelled, (state) => ({ ...state, importing: null })),
    on(dataActions.generateWanted, dataActions.findingsClosed, (state) => ({ ...state, findings: null })),
  ),
});

const importTold = (imported: ImportedTable) => {
  const { table, problemCount, twice, read } = imported;
  const bad = problemCount > 0 ? ` ${problemCount} ${problemCount === 1 ? 'line' : 'lines'} did not fit; see the list.` : '';
  return messageActions.told({
    tone: problemCount > 0 || twice.length > 0 ? 'warn' : 'good',
    text: `Imported ${table.rowCount} rows (${read}).${bad}`,
  });
};

export const dataEffects = {
  list: createEffect(
    (actions = inject(Actions), api = inject(Api)) =>
      actions.pipe(
        ofType(dataActions.listAsked, dataActions.imported, dataActions.generated),
        switchMap(() =>
          api.tables().pipe(
            map((tables) => dataActions.listLoaded({ tables })),
            orTell(),
          ),
        ),
      ),
    { functional: true },
  ),
  importFile: createEffect(
    (actions = inject(Actions), api = inject(Api), router = inject(Router)) =>
      actions.pipe(
        ofType(dataActions.fileChosen),
        switchMap(({ name, file, ragged }) =>
          api.importTable(name, file, ragged).pipe(
            concatMap((event) => {
              if (event.type === HttpEventType.UploadProgress)
                return of(dataActions.uploadTold({ sentBytes: event.loaded, totalBytes: event.total ?? null }));
              if (event.type !== HttpEventType.Response || !event.body) return of();
              void router.navigate(['/data', event.body.table.id]);
              return of(dataActions.imported(event.body), importTold(event.body));
            }),
            orTell(dataActions.importFailed()),
            takeUntil(actions.pipe(ofType(dataActions.importCancelled))),
          ),
        ),
      ),
    { functional: true },
  ),
  query: createEffect(
    (actions = inject(Actions), api = inject(Api), router = inject(Router)) =>
      actions.pipe(
        ofType(dataActions.queryWanted),
        switchMap(({ wanted }) =>
          api.queryTable(wanted).pipe(
            tap(({ table }) => void router.navigate(['/data', table.id])),
            concatMap((imported) => of(dataActions.imported(imported), importTold(imported))),
            orTell(dataActions.importFailed()),
            takeUntil(actions.pipe(ofType(dataActions.importCancelled))),
          ),
        ),
      ),
    { functional: true },
  ),
  followImport: createEffect(
    (actions = inject(Actions)) =>
      actions.pipe(
        ofType(dataActions.fileChosen, dataActions.queryWanted),
        switchMap(() =>
          liveStream(`/api/projects/${projectId}/tables/live`, ['importing']).pipe(
            map(({ data }) => dataActions.rowsTold(data)),
            takeUntil(actions.pipe(ofType(dataActions.imported, dataActions.importFailed, dataActions.importCancelled))),
          ),
        ),
      ),
    { functional: true },
  ),
  generate: createEffect(
    (actions = inject(Actions), api = inject(Api), router = inject(Router)) =>
      actions.pipe(
        ofType(dataActions.generateWanted),
        switchMap(({ wanted }) =>
          api.generate(wanted).pipe(
            tap((table) => void router.navigate(['/data', table.id])),
            map((table) => dataActions.generated({ table })),
            orTell(),
          ),
        ),
      ),
    { functional: true },
  ),
  change: createEffect(
    (actions = inject(Actions), api = inject(Api)) =>
      actions.pipe(
        ofType(dataActions.changeWanted),
        // One after the other: a change counts on what the one before has made.
        concatMap(({ tableId, change }) =>
          api.changeTable(tableId, change).pipe(
            map((table) => dataActions.tableChanged({ table })),
            // What the grid shows already is fetched anew where it could not be kept.
            orTell(dataActions.listAsked()),
          ),
        ),
      ),
    { functional: true },
  ),
  goToVersion: createEffect(
    (actions = inject(Actions), api = inject(Api)) =>
      actions.pipe(
        ofType(dataActions.versionWanted),
        concatMap(({ tableId, version }) =>
          api.goToTableVersion(tableId, version).pipe(
            map((table) => dataActions.tableChanged({ table })),
            orTell(),
          ),
        ),
      ),
    { functional: true },
  ),
  versions: createEffect(
    (actions = inject(Actions), api = inject(Api)) =>
      merge(
        actions.pipe(
          ofType(dataActions.versionsAsked),
          map(({ tableId }) => tableId),
        ),
        actions.pipe(
          ofType(dataActions.tableChanged),
          map(({ table }) => table.id),
        ),
      ).pipe(
        switchMap((tableId) =>
          api.tableVersions(tableId).pipe(
            map((versions) => dataActions.versionsLoaded({ tableId, versions })),
            orTell(),
          ),
        ),
      ),
    { functional: true },
  ),
  rename: createEffect(
    (actions = inject(Actions), api = inject(Api)) =>
      actions.pipe(
        ofType(dataActions.renameWanted),
        switchMap(({ tableId, name }) =>
          api.renameTable(tableId, name).pipe(
            map((table) => dataActions.tableChanged({ table })),
            orTell(),
          ),
        ),
      ),
    { functional: true },
  ),
  release: createEffect(
    (actions = inject(Actions), api = inject(Api)) =>
      actions.pipe(
        ofType(dataActions.releaseWanted),
        switchMap(({ tableId, rows }) =>
          api.release(tableId, rows).pipe(
            switchMap(({ released }) =>
              concat(
                of(
                  messageActions.told({
                    tone: 'good',
                    text: `${released} ${released === 1 ? 'row was' : 'rows were'} released and will be dealt again.`,
                  }),
                ),
                of(dataActions.listAsked()),
              ),
            ),
            orTell(),
          ),
        ),
      ),
    { functional: true },
  ),
  deal: createEffect(
    (actions = inject(Actions), api = inject(Api)) =>
      actions.pipe(
        ofType(dataActions.dealWanted),
        switchMap(({ tableId, deal }) =>
          api.setDeal(tableId, deal).pipe(
            map(() => dataActions.listAsked()),
            orTell(),
          ),
        ),
      ),
    { functional: true },
  ),
  remove: createEffect(
    (actions = inject(Actions), api = inject(Api), router = inject(Router)) =>
      actions.pipe(
        ofType(dataActions.deleteWanted),
        switchMap(({ tableId }) =>
          api.deleteTable(tableId).pipe(
            tap(() => void router.navigate(['/data'])),
            map(() => dataActions.listAsked()),
            orTell(),
          ),
        ),
      ),
    { functional: true },
  ),
};
