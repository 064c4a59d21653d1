import { inject } from '@angular/core';
import { Router } from '@angular/router';
import { Actions, createEffect, ofType } from '@ngrx/effects';
import { createActionGroup, createFeature, createReducer, emptyProps, on, props } from '@ngrx/store';
import type { DataRow, DataTable, Deal } from '@sturdy/core';
import { concat, map, of, switchMap, tap } from 'rxjs';
import { Api } from '../shared/api';
import { messageActions } from '../shared/messages';
import { orTell } from '../shared/problem-effect';
import type { GenerateWish } from './generate-form';

/** Data tables, and the rows of the open one. */
export const dataActions = createActionGroup({
  source: 'Data',
  events: {
    'List asked': emptyProps(),
    'List loaded': props<{ tables: DataTable[] }>(),
    'Rows asked': props<{ tableId: string; from: number }>(),
    'Rows loaded': props<{ rows: DataRow[]; from: number }>(),
    'Csv chosen': props<{ name: string; file: Blob; ragged: 'skip' | 'fix' | 'stop' }>(),
    'Csv imported': props<{ table: DataTable; problems: { line: number; text: string }[]; read: string }>(),
    'Generate wanted': props<{ wanted: GenerateWish }>(),
    Generated: props<{ table: DataTable }>(),
    'Release wanted': props<{ tableId: string }>(),
    'Deal wanted': props<{ tableId: string; deal: Deal }>(),
    'Delete wanted': props<{ tableId: string }>(),
  },
});

interface DataState {
  tables: DataTable[];
  listed: boolean;
  rows: DataRow[];
  from: number;
  problems: { line: number; text: string }[];
}
const initial: DataState = { tables: [], listed: false, rows: [], from: 1, problems: [] };

export const dataFeature = createFeature({
  name: 'data',
  reducer: createReducer(
    initial,
    on(dataActions.listLoaded, (state, { tables }) => ({ ...state, tables, listed: true })),
    on(dataActions.rowsAsked, (state, { from }) => ({ ...state, from })),
    on(dataActions.rowsLoaded, (state, { rows, from }) => ({ ...state, rows, from })),
    // Shown at once, so that the next choice starts from it.
    on(dataActions.dealWanted, (state, { tableId, deal }) => ({
      ...state,
      tables: state.tables.map((one) => (one.id === tableId ? { ...one, deal } : one)),
    })),
    on(dataActions.csvImported, (state, { problems }) => ({ ...state, problems })),
    on(dataActions.csvChosen, dataActions.generateWanted, (state) => ({ ...state, problems: [] })),
  ),
});

export const dataEffects = {
  list: createEffect(
    (actions = inject(Actions), api = inject(Api)) =>
      actions.pipe(
        ofType(dataActions.listAsked, dataActions.csvImported, dataActions.generated),
        switchMap(() =>
          api.tables().pipe(
            map((tables) => dataActions.listLoaded({ tables })),
            orTell(),
          ),
        ),
      ),
    { functional: true },
  ),
  rows: createEffect(
    (actions = inject(Actions), api = inject(Api)) =>
      actions.pipe(
        ofType(dataActions.rowsAsked),
        switchMap(({ tableId, from }) =>
          api.rows(tableId, from).pipe(
            map((rows) => dataActions.rowsLoaded({ rows, from })),
            orTell(),
          ),
        ),
      ),
    { functional: true },
  ),
  importCsv: createEffect(
    (actions = inject(Actions), api = inject(Api), router = inject(Router)) =>
      actions.pipe(
        ofType(dataActions.csvChosen),
        switchMap(({ name, file, ragged }) =>
          api.importTable(name, file, ragged).pipe(
            tap(({ table }) => void router.navigate(['/data', table.id])),
            switchMap((imported) =>
              concat(
                of(dataActions.csvImported(imported)),
                of(
                  messageActions.told({
                    tone: imported.problems.length > 0 ? 'warn' : 'good',
                    text: `Imported ${imported.table.rowCount} rows (${imported.read}).${imported.problems.length > 0 ? ` ${imported.problems.length} lines did not fit; see the list.` : ''}`,
                  }),
                ),
              ),
            ),
            orTell(),
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
  release: createEffect(
    (actions = inject(Actions), api = inject(Api)) =>
      actions.pipe(
        ofType(dataActions.releaseWanted),
        switchMap(({ tableId }) =>
          api.release(tableId).pipe(
            switchMap(({ released }) =>
              concat(
                of(messageActions.told({ tone: 'good', text: `${released} rows were released and will be dealt again.` })),
                of(dataActions.listAsked()),
                of(dataActions.rowsAsked({ tableId, from: 1 })),
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
