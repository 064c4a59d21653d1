import { WorkerCalls } from '../worker-calls.js';
import type { StoreFiles, StorePlace } from './open-database.js';
import type { Recovery } from './recovery.js';
import type { Repository } from './repository.js';
import type { ScriptRepository } from './script-repository.js';
import type { TableRepository } from './table-repository.js';
import type { WorkloadRepository } from './workload-repository.js';

type Methods<T> = { [K in keyof T as T[K] extends (...args: never[]) => Promise<unknown> ? K : never]: T[K] };

/** The repositories as the rest of the server sees them: every call runs in the store's own thread. */
export type Store = Methods<Repository> &
  Methods<Recovery> &
  Methods<ScriptRepository> &
  Methods<TableRepository> &
  Methods<WorkloadRepository> & { close: () => Promise<void> };

/** Opens the store in a thread of its own, so that no query ever stalls the API. The keys of secrets are kept in `secretsFolder`. */
export async function openStore(
  place: StorePlace,
  { worker, secretsFolder, ...files }: StoreFiles & { worker: URL; secretsFolder: string },
): Promise<Store> {
  const calls = await WorkerCalls.start(worker, { place, files, secretsFolder });
  return new Proxy({} as Store, {
    // A promise asks for `then`; the store itself is none.
    get: (_, method) => (typeof method === 'string' && method !== 'then' ? (...args: unknown[]) => calls.call(method, args) : undefined),
  });
}
