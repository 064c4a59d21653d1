import {
  boundColumns,
  filesOf,
  fileName,
  jsonSchemaOf,
  schemaFile,
  schemaLine,
  writeEnvironmentFile,
  writeExactCsv,
  writeScript,
  writeWorkloadFile,
  type DataTable,
  type Environment,
  type Script,
  type Workload,
} from '@sturdy/core';
import { strToU8, Zip, ZipDeflate } from 'fflate';
import { allRows } from '../rows/all-rows.js';
import type { Store } from '../store/store-client.js';

/** What the zip is made of. */
interface Source {
  store: Pick<Store, 'body' | 'rows'>;
  workload: Workload;
  scripts: readonly Script[];
  tables: readonly DataTable[];
  environment: Environment;
}

const environmentHead = `# Secrets are named here as { secret: NAME } and not written: give each as a variable of the environment, or in a file with --secrets.
# Written in these files as they are: values of other variables, rows of data tables, and all that the scripts send as recorded, passwords that were typed into forms too.
# Keep the files as you keep passwords.
`;

/**
 * The files with which `sturdy run` plays a workload, as a zip that is handed on piece by piece: the workload, its scripts with the bodies
 * that they send, the environment, and of each data table the rows that are free.
 */
export async function writeCommandLineFiles(
  { store, workload, scripts, tables, environment }: Source,
  write: (piece: Uint8Array) => void,
): Promise<void> {
  const zip = new Zip((error, piece) => {
    if (error) throw error;
    write(piece);
  });
  const add = async (name: string, pieces: AsyncIterable<string> | Iterable<string>) => {
    const file = new ZipDeflate(name);
    zip.add(file);
    for await (const piece of pieces) file.push(strToU8(piece));
    file.push(new Uint8Array(0), true);
  };
  const taken = new Set(['workload.yaml', 'env.yaml']);
  const scriptFiles = new Map(scripts.map((script) => [script.id, fileName(script.name, '.yaml', taken)]));
  const used = new Set(scripts.flatMap((script) => [...boundColumns(script).keys()]));
  const data = tables.filter((table) => used.has(table.id)).map((table) => ({ table, file: fileName(table.name, '.csv', taken) }));
  for (const kind of ['workload', 'script', 'environment'] as const)
    await add(schemaFile(kind), [`${JSON.stringify(jsonSchemaOf(kind), null, 2)}\n`]);
  await add('workload.yaml', [
    schemaLine('workload'),
    writeWorkloadFile(workload, { script: (id) => scriptFiles.get(id) ?? id, environment: 'env.yaml', data }),
  ]);
  for (const script of scripts) {
    const bodies = new Map<string, string>();
    for (const hash of filesOf(script)) {
      const body = await store.body(hash);
      if (body) bodies.set(hash, Buffer.from(body.bytes).toString('base64'));
    }
    await add(scriptFiles.get(script.id) ?? script.id, [schemaLine('script'), writeScript(script, bodies)]);
  }
  await add('env.yaml', [schemaLine('environment') + environmentHead + writeEnvironmentFile(environment)]);
  for (const { table, file } of data) await add(file, freeRows(store, table));
  zip.end();
}

/** A table as CSV without the rows that are spent. */
async function* freeRows(store: Source['store'], table: DataTable): AsyncGenerator<string> {
  yield writeExactCsv(
    table.columns.map((column) => column.name),
    [],
  );
  for await (const rows of allRows(store, table.id)) {
    const free = rows.filter((row) => table.deal.use === 'again' || row.spentBy === null);
    if (free.length > 0)
      yield writeExactCsv(
        null,
        free.map((row) => row.values),
      );
  }
}
