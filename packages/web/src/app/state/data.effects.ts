import { HttpEventType } from '@angular/common/http';
import { inject } from '@angular/core';
import { Actions, createEffect, ofType } from '@ngrx/effects';
import type { DataTable, ImportedTable } from '@sturdy/core';
import { map, switchMap, takeUntil } from 'rxjs';
import { projectId } from '../shared/api';
import { liveStream } from '../shared/live-stream';
import { asking } from './asking';
import { dataActions } from './data.actions';
import { messageActions } from './messages';

const importTold = (imported: ImportedTable) => {
  const { table, problemCount, twice, read } = imported;
  const bad = problemCount > 0 ? ` ${problemCount} ${problemCount === 1 ? 'line' : 'lines'} did not fit; see the list.` : '';
  return messageActions.told({
    tone: problemCount > 0 || twice.length > 0 ? 'warn' : 'good',
    text: `Imported ${table.rowCount} rows (${read}).${bad}`,
  });
};

const toTable = ({ id }: DataTable): string[] => ['/data', id];

export const dataEffects = {
  list: asking(
    [dataActions.listAsked, dataActions.imported, dataActions.generated],
    (api) => api.tables(),
    (tables) => dataActions.listLoaded({ tables }),
  ),
  importFile: asking(
    [dataActions.fileChosen],
    (api, { name, file, ragged }) => api.importTable(name, file, ragged),
    (event) => {
      if (event.type === HttpEventType.UploadProgress)
        return dataActions.uploadTold({ sentBytes: event.loaded, totalBytes: event.total ?? null });
      return event.type === HttpEventType.Response && event.body ? [dataActions.imported(event.body), importTold(event.body)] : [];
    },
    {
      failed: dataActions.importFailed(),
      until: [dataActions.importCancelled],
      goTo: (event) => (event.type === HttpEventType.Response && event.body ? toTable(event.body.table) : null),
    },
  ),
  query: asking(
    [dataActions.queryWanted],
    (api, { wanted }) => api.queryTable(wanted),
    (imported) => [dataActions.imported(imported), importTold(imported)],
    { failed: dataActions.importFailed(), until: [dataActions.importCancelled], goTo: ({ table }) => toTable(table) },
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
  generate: asking(
    [dataActions.generateWanted],
    (api, { wanted }) => api.generate(wanted),
    (table) => dataActions.generated({ table }),
    { goTo: toTable },
  ),
  // One after the other: a change counts on what the one before has made. What the grid shows already is fetched anew where it could not be kept.
  change: asking(
    [dataActions.changeWanted],
    (api, { tableId, change }) => api.changeTable(tableId, change),
    (table) => dataActions.tableChanged({ table }),
    { inTurn: true, failed: dataActions.listAsked() },
  ),
  goToVersion: asking(
    [dataActions.versionWanted],
    (api, { tableId, version }) => api.goToTableVersion(tableId, version),
    (table) => dataActions.tableChanged({ table }),
    { inTurn: true },
  ),
  versions: asking(
    [dataActions.versionsAsked, dataActions.tableChanged],
    (api, asked) => {
      const tableId = 'table' in asked ? asked.table.id : asked.tableId;
      return api.tableVersions(tableId).pipe(map((versions) => ({ tableId, versions })));
    },
    (loaded) => dataActions.versionsLoaded(loaded),
  ),
  rename: asking(
    [dataActions.renameWanted],
    (api, { tableId, name }) => api.renameTable(tableId, name),
    (table) => dataActions.tableChanged({ table }),
  ),
  release: asking(
    [dataActions.releaseWanted],
    (api, { tableId, rows }) => api.release(tableId, rows),
    ({ released }) => [
      messageActions.told({
        tone: 'good',
        text: `${released} ${released === 1 ? 'row was' : 'rows were'} released and will be dealt again.`,
      }),
      dataActions.listAsked(),
    ],
  ),
  deal: asking(
    [dataActions.dealWanted],
    (api, { tableId, deal }) => api.setDeal(tableId, deal),
    () => dataActions.listAsked(),
  ),
  remove: asking(
    [dataActions.deleteWanted],
    (api, { tableId }) => api.deleteTable(tableId),
    () => dataActions.listAsked(),
    { goTo: () => ['/data'] },
  ),
};
