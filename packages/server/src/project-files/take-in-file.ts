import {
  BriefFileSchema,
  CsvReader,
  environmentOfFile,
  EnvironmentFileSchema,
  giveSecrets,
  ProjectFileSchema,
  readPart,
  readPatterns,
  readScript,
  readYamlAs,
  samePart,
  secretsByName,
  TableFileSchema,
  type DataTable,
  type TableChange,
} from '@sturdy/core';
import type { Environments } from '../environments/environments.js';
import type { Projects } from '../projects/projects.js';
import { allRows } from '../rows/all-rows.js';
import { keepPart, keepScript } from '../scripts/keep-script.js';
import type { Store } from '../store/store-client.js';
import { refuse, refuseLines } from './file-faults.js';
import type { ListedProject } from './list-project.js';
import { csvRecords, storeScriptFiles, workloadFrom } from './read-text.js';

/** What a changed file of a project goes into. */
export interface TakingIn {
  store: Store;
  environments: Pick<Environments, 'save'>;
  projects: Pick<Projects, 'change' | 'need'>;
}

/** Cells that a changed file of rows may change at a time. */
const mostCells = 100_000;

/**
 * Takes the changed text of a file into the thing that it stands for, as a version of it. Throws a problem that names line and column where something is wrong with
 * it, or where only the product changes it; then nothing is changed.
 */
export async function takeInFile(
  { store, environments, projects }: TakingIn,
  projectId: string,
  listing: ListedProject,
  path: string,
  text: string,
  by: string,
): Promise<void> {
  const at = new Date().toISOString();
  const isIt = ({ file }: { file: string }): boolean => file === path;
  const script = listing.scripts.find(isIt);
  if (script) {
    const { takeId, secondTakeId } = script.item;
    const read = readScript(text, { id: script.id, projectId, takeId, secondTakeId });
    if ('problems' in read) throw refuseLines(path, read.problems);
    await storeScriptFiles(store, path, read.files);
    await keepScript(store, read.script, { by, what: 'Changed in its file' });
    return;
  }
  const workload = listing.workloads.find(isIt);
  if (workload) {
    await store.saveWorkload(workloadFrom(listing.contents, path, text, { id: workload.id, projectId }), by, at, 'Changed in its file');
    return;
  }
  const environment = listing.environments.find(isIt);
  if (environment) {
    const read = readYamlAs(text, EnvironmentFileSchema);
    if ('problems' in read) throw refuseLines(path, read.problems);
    const known = secretsByName(environment.item);
    const changed = giveSecrets(environmentOfFile(read.value), (name) => known.get(name));
    await environments.save({ ...changed, id: environment.id, projectId }, by);
    return;
  }
  const part = listing.parts.find(isIt);
  if (part) {
    const read = readPart(text, { id: part.id, projectId });
    if ('problems' in read) throw refuseLines(path, read.problems);
    if (!samePart(part.item, read.part))
      await keepPart(store, read.part, { by, what: `The part “${read.part.name}” was changed in its file` });
    return;
  }
  const table = listing.tables.find(isIt);
  if (table) {
    await takeInTable(store, table.item, path, text);
    return;
  }
  const rows = listing.tables.find((candidate) => candidate.rows === path);
  if (rows) {
    for (const change of await rowChanges(store, rows.item, path, text)) await store.changeTable(rows.id, change, by, at);
    return;
  }
  if (path === 'patterns.yaml') {
    const read = readPatterns(text);
    if ('problems' in read) throw refuseLines(path, read.problems);
    const kept = new Set(read.list.map(({ id }) => id));
    for (const { id } of await store.ownPatterns(projectId)) if (!kept.has(id)) await store.deletePattern(projectId, id);
    await store.savePatterns(projectId, read.list);
    return;
  }
  if (path === 'brief.yaml') {
    const read = readYamlAs(text, BriefFileSchema);
    if ('problems' in read) throw refuseLines(path, read.problems);
    // A signature is given by signing, not by writing it into a file.
    const { signatures } = await store.brief(projectId);
    await store.saveBrief(projectId, { ...read.value, signatures });
    return;
  }
  if (path === 'project.yaml') {
    const read = readYamlAs(text, ProjectFileSchema);
    if ('problems' in read) throw refuseLines(path, read.problems);
    const { name, settings, ...lists } = read.value;
    // Read by the schema too, so that the order of members is the same.
    const { name: oldName, settings: _settings, ...oldLists } = ProjectFileSchema.parse(listing.contents);
    if (JSON.stringify(lists) !== JSON.stringify(oldLists))
      throw refuse(
        path,
        'What a project holds is changed in the product: make, rename or delete it there. Here only its name and its settings are taken in.',
      );
    if (name !== oldName) await projects.change(projectId, { name, state: (await projects.need(projectId)).state });
    await store.saveProjectSettings(projectId, settings);
    return;
  }
  throw refuse(path, 'Only the product changes this file. Import the project to have it as it is here.');
}

async function takeInTable(store: Store, table: DataTable, path: string, text: string): Promise<void> {
  const read = readYamlAs(text, TableFileSchema);
  if ('problems' in read) throw refuseLines(path, read.problems);
  const { name, columns, deal } = read.value;
  if (JSON.stringify(columns) !== JSON.stringify(TableFileSchema.shape.columns.parse(table.columns)))
    throw refuse(path, 'Columns of a table are changed in the product, where all rows follow. Here its name and its deal are taken in.');
  if (name !== table.name) await store.renameTable(table.id, name);
  await store.setDeal(table.id, deal);
}

/** What leads from the rows of a table to those of a file: cells that differ, rows that are added at the end, rows that are missing there. */
async function rowChanges(store: Store, { id, columns }: DataTable, path: string, text: string): Promise<TableChange[]> {
  const reader = new CsvReader(',');
  const [header, ...records] = csvRecords(path, () => [...reader.write(text.replace(/^\uFEFF/, '')), ...reader.end()]);
  const names = columns.map(({ name }) => name);
  if (JSON.stringify(header?.fields) !== JSON.stringify(names))
    throw refuse(path, `Its first line has to name the columns: ${names.join(', ')}.`);
  for (const { line, fields } of records)
    if (fields.length !== columns.length)
      throw refuseLines(path, [
        { line, column: 1, message: `The row has ${fields.length} cells, and the table has ${columns.length} columns.` },
      ]);
  const cells: { row: number; column: number; text: string }[] = [];
  const missing: number[] = [];
  let place = 0;
  for await (const rows of allRows(store, id))
    for (const { row, values } of rows) {
      const fields = records[place++]?.fields;
      if (fields) fields.forEach((field, column) => (values[column] ?? '') !== field && cells.push({ row, column, text: field }));
      else missing.push(row);
    }
  const added = records.slice(place).map(({ fields }) => fields);
  if (cells.length > mostCells || missing.length > mostCells || added.length > mostCells)
    throw refuse(path, `More than ${mostCells.toLocaleString('en')} cells or rows differ. Import the rows as a table in the product.`);
  return [
    ...(cells.length === 0 ? [] : [{ kind: 'set-cells' as const, cells }]),
    ...(added.length === 0 ? [] : [{ kind: 'add-rows' as const, rows: added }]),
    ...(missing.length === 0 ? [] : [{ kind: 'delete-rows' as const, rows: missing }]),
  ];
}
