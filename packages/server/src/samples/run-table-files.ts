import { mkdirSync } from 'node:fs';
import { readFile, rename, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import {
  catalogueOf,
  runTables,
  type Catalogue,
  type Frame,
  type HostSeries,
  type Run,
  type RunColumn,
  type RunTables,
  type Script,
} from '@sturdy/core';
import { asyncBufferFromFile, parquetMetadataAsync, parquetRead, type SchemaElement } from 'hyparquet';
import { fileWriter, ParquetWriter } from 'hyparquet-writer';

/** Tables of a run that are files of their own beside its samples. */
export const tableNames = ['seconds', 'generators', 'hosts', 'events', 'failures'] as const satisfies readonly (keyof RunTables)[];

export const tablePath = (folder: string, table: string): string => join(folder, `${table}.parquet`);
const cataloguePath = (folder: string): string => join(folder, 'catalogue.json');

/** Rows in a group of a file. */
const rowGroupSize = 50_000;

/** Writes the tables of a run as Apache Parquet into a folder, and what can be shown of it. The catalogue comes last: where it is there, all is. */
export async function writeRunTables(folder: string, run: Run, frames: Frame[], hosts: HostSeries[], scripts: Script[]): Promise<void> {
  mkdirSync(folder, { recursive: true, mode: 0o700 });
  const tables = runTables(run, frames, hosts, scripts);
  for (const name of tableNames) await writeTable(tablePath(folder, name), tables[name]);
  await writeFile(`${cataloguePath(folder)}.new`, JSON.stringify(catalogueOf(tables)), { mode: 0o600 });
  await rename(`${cataloguePath(folder)}.new`, cataloguePath(folder));
}

async function writeTable(path: string, columns: readonly RunColumn[]): Promise<void> {
  const schema: SchemaElement[] = [
    { name: 'table', num_children: columns.length },
    ...columns.map(({ name, kind }): SchemaElement => ({
      name,
      repetition_type: 'OPTIONAL',
      ...(kind === 'number' ? { type: 'DOUBLE' } : { type: 'BYTE_ARRAY', converted_type: 'UTF8' }),
    })),
  ];
  const writer = new ParquetWriter({ writer: fileWriter(path), schema, createdBy: 'Sturdy Puppet' });
  await writer.write({ columnData: columns.map(({ name, values }) => ({ name, data: values })), rowGroupSize });
  await writer.finish();
}

/** The tables of a run that series are made of, as they were written. */
export async function readRunTables(folder: string): Promise<Pick<RunTables, 'seconds' | 'generators' | 'hosts'>> {
  const [seconds, generators, hosts] = await Promise.all(
    (['seconds', 'generators', 'hosts'] as const).map((name) => readColumns(tablePath(folder, name))),
  );
  return { seconds: seconds ?? [], generators: generators ?? [], hosts: hosts ?? [] };
}

async function readColumns(path: string): Promise<RunColumn[]> {
  const file = await asyncBufferFromFile(path);
  const metadata = await parquetMetadataAsync(file);
  const count = Number(metadata.num_rows);
  const columns = new Map<string, RunColumn>();
  for (const { name, type } of metadata.schema.slice(1))
    columns.set(name, { name, kind: type === 'DOUBLE' ? 'number' : 'text', values: new Array<null>(count).fill(null) });
  await parquetRead({
    file,
    metadata,
    onChunk: ({ columnName, columnData, rowStart }) => {
      const values = columns.get(columnName)?.values;
      if (values) for (let at = 0; at < columnData.length; at++) values[rowStart + at] = (columnData[at] ?? null) as number | string | null;
    },
  });
  return [...columns.values()];
}

export async function readCatalogue(folder: string): Promise<Catalogue> {
  return JSON.parse(await readFile(cataloguePath(folder), 'utf8')) as Catalogue;
}
