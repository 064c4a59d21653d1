import type { Store } from '../store/store-client.js';

/** What a run needs of a store: the database of the product, or files next to a workload. */
export type RunStore = Pick<
  Store,
  | 'scripts'
  | 'scriptVersions'
  | 'body'
  | 'runs'
  | 'saveRun'
  | 'frames'
  | 'saveFrames'
  | 'hostPoints'
  | 'saveHostPoints'
  | 'tables'
  | 'rows'
  | 'rowsAt'
  | 'rowNumbers'
  | 'leaseRows'
  | 'releaseRows'
>;
