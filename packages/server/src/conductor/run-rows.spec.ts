import { onceInOrder, plainColumns, type DataTable } from '@sturdy/core';
import type { RowStore } from '../rows/row-dealer.js';
import { RunRows } from './run-rows.js';

const table: DataTable = {
  id: 'd',
  projectId: 'p',
  name: 'D',
  columns: plainColumns(['number']),
  version: 0,
  rowCount: 3,
  spentCount: 0,
  deal: onceInOrder,
};

/** Rows 1 to 3 of a store that fails while `fault` is set. */
function dealing() {
  const notes: string[] = [];
  const state = { fault: null as Error | null, next: 1 };
  const store = {
    leaseRows: (_table: string, count: number) => {
      if (state.fault) return Promise.reject(state.fault);
      const rows = Array.from({ length: Math.min(count, 4 - state.next) }, () => ({ row: state.next++, values: ['x'] }));
      return Promise.resolve(rows);
    },
  } as unknown as RowStore;
  const rows = new RunRows(store, [table], 'run 1', '1', (text) => notes.push(text));
  const lease = async (count: number) => {
    const { rows: leased, more } = await rows.lease('d', count);
    return [leased.map(({ row }) => row), more];
  };
  return { rows, lease, notes, state };
}

describe('rows of a run', () => {
  beforeEach(() => {
    jest.useFakeTimers();
  });
  afterEach(() => {
    jest.useRealTimers();
  });

  it('are leased, and the last answer says that none are left', async () => {
    const { lease } = dealing();
    expect(await lease(2)).toEqual([[1, 2], 'perhaps']);
    expect(await lease(2)).toEqual([[3], 'none-left']);
  });

  it('are asked for again while the store cannot lease any; that is said once, and once that it can again', async () => {
    const { lease, notes, state } = dealing();
    state.fault = new Error('could not extend file "base/5/16434"\nHINT: free some space');
    for (let ask = 0; ask < 3; ask++) {
      expect(await lease(1)).toEqual([[], 'not-now']);
      jest.advanceTimersByTime(10_000);
    }
    state.fault = null;
    expect(await lease(1)).toEqual([[1], 'perhaps']);
    expect(await lease(1)).toEqual([[2], 'perhaps']);
    expect(notes).toEqual([
      'data rows cannot be leased now (could not extend file "base/5/16434"); users who need one wait',
      'data rows can be leased again',
    ]);
  });

  it('end the run where none could be leased for a minute; a minute counts anew after each success', async () => {
    const { lease, rows, state } = dealing();
    state.fault = new Error('the disk is full');
    await lease(1);
    jest.advanceTimersByTime(59_000);
    expect(await lease(1)).toEqual([[], 'not-now']);
    state.fault = null;
    await lease(1);
    state.fault = new Error('the disk is full');
    jest.advanceTimersByTime(59_000);
    expect(await lease(1)).toEqual([[], 'not-now']);
    jest.advanceTimersByTime(61_000);
    await expect(rows.lease('d', 1)).rejects.toThrow('Rows could not be leased for 60 s: the disk is full');
  });
});
