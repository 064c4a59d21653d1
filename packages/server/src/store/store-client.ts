import { AsyncLocalStorage } from 'node:async_hooks';
import { WorkerCalls } from '../threads/worker-calls.js';
import type { StoreFiles, StorePlace } from './open-database.js';
import type { DatabaseAway } from './patience.js';
import type { EnvironmentRepository } from './environment-repository.js';
import type { ProjectRepository } from './project-repository.js';
import type { Recovery } from './recovery.js';
import type { Repository } from './repository.js';
import type { ScheduleRepository } from './schedule-repository.js';
import type { ScriptRepository } from './script-repository.js';
import type { TableRepository } from './table-repository.js';
import type { WorkloadRepository } from './workload-repository.js';

type Methods<T> = { [K in keyof T as T[K] extends (...args: never[]) => Promise<unknown> ? K : never]: T[K] };

/** The repositories as the rest of the server sees them: every call runs in the store's own thread. */
export type Store = Methods<Repository> &
  Methods<ProjectRepository> &
  Methods<EnvironmentRepository> &
  Methods<Recovery> &
  Methods<ScheduleRepository> &
  Methods<ScriptRepository> &
  Methods<TableRepository> &
  Methods<WorkloadRepository> & {
    /** Why the database does not answer; null where it does. */
    readonly away: DatabaseAway | null;
    /** Copies the database into a folder, in the state of one moment. */
    copyTo: (folder: string) => Promise<void>;
    close: () => Promise<void>;
  };

/** What goes on without anybody who waits for it (runs, recordings, imports) is patient with a database that is away. */
const usualPatienceMs = 5 * 60_000;

/** How long calls wait while the database is away, in ms, for all that is done within. */
export const storePatience = new AsyncLocalStorage<number>();

/** Opens the store in a thread of its own, so that no query ever stalls the API. The keys of secrets are kept in `secretsFolder`; `warn` is told when the database goes away and comes back. */
export async function openStore(
  place: StorePlace,
  {
    worker,
    secretsFolder,
    warn = () => undefined,
    ...files
  }: StoreFiles & { worker: URL; secretsFolder: string; warn?: (text: string) => void },
): Promise<Store> {
  let away: DatabaseAway | null = null;
  const start = (): Promise<WorkerCalls> =>
    WorkerCalls.start(worker, { place, files, secretsFolder }, (news) => {
      away = news as DatabaseAway | null;
      warn(away ? `The database does not answer: ${away.reason}` : 'The database answers again');
    });
  let thread = start();
  let closing = false;
  await thread;
  const call = async (method: string, args: unknown[]): Promise<unknown> => {
    const asked = thread;
    const calls = await asked;
    if (calls.hasEnded && !closing) {
      if (thread !== asked) return call(method, args);
      // Whatever ended it, such as a call that took all its memory, ended that call alone.
      thread = start();
      warn('The thread of the store ended by itself and was started anew');
      thread.catch(() => (thread = Promise.resolve(calls)));
      return call(method, args);
    }
    closing ||= method === 'close';
    return calls.call(method, args, undefined, { patienceMs: storePatience.getStore() ?? usualPatienceMs });
  };
  return new Proxy({} as Store, {
    get: (_, method) => {
      if (method === 'away') return away;
      // A promise asks for `then`; the store itself is none.
      return typeof method === 'string' && method !== 'then' ? (...args: unknown[]) => call(method, args) : undefined;
    },
  });
}
