import {
  fileName,
  type DataTable,
  type Environment,
  type Part,
  type ProjectFile,
  type Rehearsal,
  type Run,
  type Script,
  type Take,
  type Workload,
} from '@sturdy/core';
import type { Store } from '../store/store-client.js';

/** Something of a project, and the path of its file. */
export interface Listed<T> {
  item: T;
  id: string;
  file: string;
}

/** All that is in a project, each with the file that it goes into, and `project.yaml`, which says so. */
export interface ListedProject {
  contents: ProjectFile;
  environments: Listed<Environment>[];
  takes: Listed<Take & { exchangeCount: number }>[];
  parts: Listed<Part>[];
  tables: (Listed<DataTable> & { rows: string })[];
  scripts: Listed<Script>[];
  rehearsals: Listed<Rehearsal>[];
  workloads: Listed<Workload>[];
  runs: { item: Run; id: string; folder: string }[];
}

/** Lists a project. The same project is always listed the same, so that its files keep their names. */
export async function listProject(store: Store, projectId: string): Promise<ListedProject> {
  const project = await store.project(projectId);
  const namer = (folder: string, ending: string) => {
    const taken = new Set<string>();
    return (name: string) => `${folder}/${fileName(name, ending, taken)}`;
  };
  const listed = <T extends { id: string; name: string }>(list: readonly T[], pathOf: (name: string) => string): Listed<T>[] =>
    list.map((item) => ({ item, id: item.id, file: pathOf(item.name) }));
  // The order is that of ids, so that one more thing of a name does not change the paths of the others.
  const byId = <T extends { id: string }>(list: readonly T[]): T[] => [...list].sort((left, right) => (left.id < right.id ? -1 : 1));
  const environments = listed(await store.environments(projectId), namer('environments', '.yaml'));
  const takes = listed(byId(await store.takes(projectId)), namer('takes', '.har'));
  const parts = listed(byId(await store.parts(projectId)), namer('parts', '.yaml'));
  const tables = listed(byId(await store.tables(projectId)), namer('tables', '.yaml')).map((table) => ({
    ...table,
    rows: table.file.replace(/\.yaml$/, '.csv'),
  }));
  const scripts = listed(byId(await store.scripts(projectId)), namer('scripts', '.yaml'));
  const workloads = listed(byId(await store.workloads(projectId)), namer('workloads', '.yaml'));
  const rehearsals: Listed<Rehearsal>[] = [];
  for (const { item: script, file } of scripts) {
    const folder = file.replace(/^scripts\/(.*)\.yaml$/, 'rehearsals/$1');
    const all = [...(await store.rehearsals(script.id)), ...(await store.trialRehearsals(script.id))];
    for (const item of all.sort((left, right) => left.number - right.number))
      rehearsals.push({ item, id: item.id, file: `${folder}/${item.number}.json` });
  }
  const runs = [...(await store.runs(projectId))].reverse().map((item) => ({ item, id: item.id, folder: `runs/${item.number}` }));
  const plain = (list: readonly { id: string; file: string }[]) => list.map(({ id, file }) => ({ id, file }));
  const contents: ProjectFile = {
    project: 1,
    name: project?.name ?? '',
    settings: await store.projectSettings(projectId),
    environments: plain(environments),
    takes: takes.map(({ id, file, item }) => ({ id, file, ...(item.madeFor === undefined ? {} : { madeFor: item.madeFor }) })),
    parts: plain(parts),
    tables: tables.map(({ id, file, rows }) => ({ id, file, rows })),
    scripts: scripts.map(({ id, file, item }) => ({ id, file, take: item.takeId, secondTake: item.secondTakeId })),
    rehearsals: plain(rehearsals),
    workloads: plain(workloads),
    runs: runs.map(({ id, folder }) => ({ id, folder })),
  };
  return { contents, environments, takes, parts, tables, scripts, rehearsals, workloads, runs };
}
