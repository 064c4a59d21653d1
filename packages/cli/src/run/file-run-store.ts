import { appendFileSync, existsSync, readFileSync, renameSync, writeFileSync } from 'node:fs';
import { shuffledSerials, type DataTable, type Frame, type HostPoint, type Run, type Script, type Version } from '@sturdy/core';
import type { RunStore } from '@sturdy/server/conductor';
import seedrandom from 'seedrandom';

/** A table of a file, with what is spent of it. */
export interface FileTable {
  table: DataTable;
  rows: string[][];
  /** The file next to it that remembers the rows that were dealt for good. */
  spentFile: string;
}

/** A table while a run takes rows of it. */
interface OpenTable extends FileTable {
  spent: Set<number>;
  /** Rows that are held, and by whom. */
  held: Map<number, string>;
  /** The order in which rows are dealt; a run has one. */
  order: ((at: number) => number) | null;
  /** The place in that order where the next row is looked for; all before it are taken. */
  next: number;
}

const spentHead = '# Rows that were dealt for good, by their number from 1. Delete a line, or this file, to release them.\n';

/** Reads which rows of a table are spent; none where nothing was dealt yet. */
export function readSpent(file: string): Set<number> {
  if (!existsSync(file)) return new Set();
  return new Set(
    readFileSync(file, 'utf8')
      .split('\n')
      .filter((line) => /^\d+$/.test(line.trim()))
      .map(Number),
  );
}

/** Runs, figures and rows without a database: figures in memory, spent rows in a file next to each table, written before a row is used. */
export class FileRunStore implements RunStore {
  readonly #frames: Frame[] = [];
  readonly #tables: Map<string, OpenTable>;

  constructor(
    readonly given: { scripts: Script[]; files: ReadonlyMap<string, Uint8Array>; tables: readonly FileTable[] },
    /** Hears each frame as it comes. */
    readonly heard: (frame: Frame) => void,
  ) {
    this.#tables = new Map(
      given.tables.map((table) => [table.table.id, { ...table, spent: readSpent(table.spentFile), held: new Map(), order: null, next: 0 }]),
    );
  }

  scripts(): Promise<Script[]> {
    return Promise.resolve(this.given.scripts);
  }
  body(hash: string): Promise<{ bytes: Uint8Array<ArrayBuffer>; mimeType: string } | null> {
    const bytes = this.given.files.get(hash);
    return Promise.resolve(bytes ? { bytes: Uint8Array.from(bytes), mimeType: 'application/octet-stream' } : null);
  }
  /** A file has no versions. */
  scriptVersions(): Promise<Version[]> {
    return Promise.resolve([]);
  }
  runs(): Promise<Run[]> {
    return Promise.resolve([]);
  }
  /** The run is written with its figures once it has ended. */
  saveRun(): Promise<void> {
    return Promise.resolve();
  }
  frames(): Promise<Frame[]> {
    return Promise.resolve(this.#frames);
  }
  saveFrames(_runId: string, frames: Frame[]): Promise<void> {
    for (const frame of frames) {
      this.heard(frame);
      // What each user was doing is told while it lasts; kept for the whole run it would fill the memory.
      this.#frames.push({ ...frame, users: [] });
    }
    return Promise.resolve();
  }
  /** The command line watches no hosts. */
  hostPoints(): Promise<HostPoint[]> {
    return Promise.resolve([]);
  }
  saveHostPoints(): Promise<void> {
    return Promise.resolve();
  }
  tables(): Promise<DataTable[]> {
    return Promise.resolve([...this.#tables.values()].map(({ table, spent }) => ({ ...table, spentCount: spent.size })));
  }
  rows(tableId: string, from: number, count: number): Promise<{ row: number; values: string[]; spentBy: string | null }[]> {
    const { rows, spent } = this.#need(tableId);
    return Promise.resolve(
      rows
        .slice(from - 1, from - 1 + count)
        .map((values, at) => ({ row: from + at, values, spentBy: spent.has(from + at) ? 'an earlier run' : null })),
    );
  }
  rowsAt(tableId: string, numbers: readonly number[]): Promise<{ row: number; values: string[] }[]> {
    const { rows } = this.#need(tableId);
    return Promise.resolve(numbers.flatMap((row) => (rows[row - 1] ? [{ row, values: rows[row - 1] ?? [] }] : [])));
  }
  rowNumbers(tableId: string): Promise<Int32Array<ArrayBuffer>> {
    return Promise.resolve(Int32Array.from(this.#need(tableId).rows, (_, at) => at + 1));
  }
  leaseRows(tableId: string, count: number, spentBy: string, shuffle: string | null = null): Promise<{ row: number; values: string[] }[]> {
    const openTable = this.#need(tableId);
    const { rows, spent, held, table } = openTable;
    const order = (openTable.order ??= shuffle === null ? (at) => at : shuffledSerials(rows.length, seedrandom(`${shuffle}:${tableId}`)));
    const taken: number[] = [];
    for (; openTable.next < rows.length && taken.length < count; openTable.next++) {
      const row = order(openTable.next) + 1;
      if (!spent.has(row) && !held.has(row)) taken.push(row);
    }
    if (table.deal.use === 'exclusive') for (const row of taken) held.set(row, spentBy);
    else if (taken.length > 0) {
      if (!existsSync(openTable.spentFile)) writeFileSync(openTable.spentFile, spentHead);
      appendFileSync(openTable.spentFile, taken.map((row) => `${row}\n`).join(''), { flush: true });
      for (const row of taken) spent.add(row);
    }
    return this.rowsAt(tableId, taken);
  }
  releaseRows(tableId: string, rows: number[] | null, spentBy: string | null): Promise<number> {
    const table = this.#need(tableId);
    table.next = 0;
    if (table.table.deal.use === 'exclusive') {
      const free = rows ?? [...table.held].filter(([, by]) => spentBy === null || by === spentBy).map(([row]) => row);
      for (const row of free) table.held.delete(row);
      return Promise.resolve(free.length);
    }
    const free = (rows ?? []).filter((row) => table.spent.delete(row));
    if (free.length > 0) {
      // Another file takes its place at once, so that a crash leaves either the old state or the new one.
      writeFileSync(`${table.spentFile}.new`, spentHead + [...table.spent].map((row) => `${row}\n`).join(''), { flush: true });
      renameSync(`${table.spentFile}.new`, table.spentFile);
    }
    return Promise.resolve(free.length);
  }

  #need(id: string) {
    const table = this.#tables.get(id);
    if (!table) throw new Error(`There is no table “${id}”.`);
    return table;
  }
}
