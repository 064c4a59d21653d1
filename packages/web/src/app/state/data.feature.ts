import { createFeature, createReducer, on } from '@ngrx/store';
import type { DataTable, ImportedTable, TableVersion } from '@sturdy/core';
import { dataActions, type ImportUnderWay } from './data.actions';

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
    on(dataActions.uploadTold, (state, { sentBytes, totalBytes }) => ({
      ...state,
      importing: state.importing && { ...state.importing, sentBytes, totalBytes },
    })),
    on(dataActions.rowsTold, (state, { rows }) => ({ ...state, importing: state.importing && { ...state.importing, rows } })),
    on(dataActions.imported, (state, imported) => ({ ...state, importing: null, findings: imported })),
    on(dataActions.importFailed, dataActions.importCancelled, (state) => ({ ...state, importing: null })),
    on(dataActions.generateWanted, dataActions.findingsClosed, (state) => ({ ...state, findings: null })),
  ),
});
