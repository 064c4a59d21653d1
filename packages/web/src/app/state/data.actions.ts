import { createActionGroup, emptyProps, props } from '@ngrx/store';
import type { DataTable, Deal, GeneratedColumn, ImportedTable, TableChange, TableVersion } from '@sturdy/core';

/** What becomes of lines with too few or too many fields. */
export type Ragged = 'skip' | 'fix' | 'stop';

/** A table that is being imported. */
export interface ImportUnderWay {
  name: string;
  sentBytes: number;
  totalBytes: number | null;
  rows: number;
}

/** A table to be generated. */
export interface GenerateWish {
  name: string;
  columns: GeneratedColumn[];
  count: number;
  seed: string;
}

/** A query of a database that is to become a table. */
export interface QueryWish {
  name: string;
  address: string;
  sql: string;
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
