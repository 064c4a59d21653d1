import { pathFrom, readWorkloadFile, workloadOfFile, type ProjectFile, type Workload } from '@sturdy/core';
import { storedBody } from '../store/stored-body.js';
import type { Store } from '../store/store-client.js';
import { refuse, refuseLines } from './file-faults.js';

/** Stores the bodies that travel with a script. Throws a refusal where one is another than its name says. */
export async function storeScriptFiles(store: Store, path: string, files: ReadonlyMap<string, string>): Promise<void> {
  await store.putBodies(
    [...files].map(([hash, base64]) => {
      const { stored } = storedBody(Buffer.from(base64, 'base64'), 'application/octet-stream');
      if (stored.hash !== hash) throw refuse(path, `The body ${hash} is another one than its name says.`);
      return stored;
    }),
  );
}

/** Records of a file of rows. Throws a refusal where it cannot be read as CSV. */
export function csvRecords<T>(path: string, read: () => T): T {
  try {
    return read();
  } catch (error) {
    throw refuse(path, error instanceof Error ? error.message : String(error));
  }
}

/**
 * The workload of a file: scripts and environment, which it names by their paths, by their ids. `idOf` gives the id of what `project.yaml` lists. Throws a refusal
 * where something is wrong with the text.
 */
export function workloadFrom(
  contents: Pick<ProjectFile, 'scripts' | 'environments'>,
  path: string,
  text: string,
  base: Pick<Workload, 'id' | 'projectId'>,
  idOf: (id: string) => string = (id) => id,
): Workload {
  const read = readWorkloadFile(text);
  if ('problems' in read) throw refuseLines(path, read.problems);
  const workload = workloadOfFile(read.file);
  const scriptOf = (named: string): string => {
    const script = contents.scripts.find((listed) => listed.file === pathFrom(path, named));
    // A crew may have outlived its script.
    return script ? idOf(script.id) : named;
  };
  const environment = contents.environments.find((listed) => listed.file === pathFrom(path, read.file.environment ?? ''));
  return {
    ...workload,
    ...base,
    crews: workload.crews.map((crew) => ({ ...crew, scriptId: scriptOf(crew.scriptId) })),
    ...(environment ? { environmentId: environment.id } : {}),
  };
}
