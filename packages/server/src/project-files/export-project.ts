import { createReadStream, existsSync } from 'node:fs';
import { rm } from 'node:fs/promises';
import { join } from 'node:path';
import {
  boundColumns,
  emptyBrief,
  entryWithAll,
  exportHar,
  fileSchemas,
  filesOf,
  jsonSchemaOf,
  membersWithAll,
  relativePath,
  rowsText,
  schemaFile,
  schemaLine,
  sentBody,
  answerBody,
  writeEnvironmentFile,
  writeExactCsv,
  writePart,
  writePatterns,
  writeScript,
  writeWorkloadFile,
  type DataTable,
  type Exchange,
  type FileKind,
  type Rehearsal,
  type RequestExchange,
  type Run,
  type Script,
  type TableFile,
  type Take,
} from '@sturdy/core';
import { stringify } from 'yaml';
import type { SampleFiles } from '../samples/sample-files.js';
import { inParquetThread } from '../samples/parquet-thread.js';
import { referredBodies } from './referred-bodies.js';
import { listProject, type ListedProject } from './list-project.js';
import type { OutgoingFile } from './project-source.js';
import { allRows } from '../rows/all-rows.js';
import type { Store } from '../store/store-client.js';
import { makeTemporaryFolder } from '../temporary/temporary-folder.js';

/** Where the files of a project come from. */
export interface ExportGround {
  store: Store;
  samples: Pick<SampleFiles, 'path' | 'capturePath'>;
  parquetWorker: URL;
}

/**
 * All files of a project, in the order in which they are listed; what is in one is read when it is asked for. The secrets of environments stay out; what was recorded is as
 * it was recorded.
 */
export async function exportProject(ground: ExportGround, projectId: string): Promise<OutgoingFile[]> {
  const listing = await listProject(ground.store, projectId);
  return [...(await writtenFiles(ground.store, projectId, listing)), ...recordedFiles(ground, listing)];
}

/** The files that people write, with their schemas. */
export async function writtenFiles(store: Store, projectId: string, listing: ListedProject): Promise<OutgoingFile[]> {
  const files: OutgoingFile[] = [];
  const add = (path: string, pieces: OutgoingFile['pieces']) => files.push({ path, pieces });
  const addText = (path: string, write: () => Promise<string> | string) => {
    add(path, async function* () {
      yield await write();
    });
  };
  /** A file of YAML with the line by which editors find its schema. */
  const addYaml = (path: string, kind: FileKind, write: () => Promise<string> | string) => {
    const up = '../'.repeat(path.split('/').length - 1);
    addText(path, async () => schemaLine(kind, up) + (await write()));
  };
  addYaml('project.yaml', 'project', () => yaml(listing.contents));
  for (const kind of [
    'project',
    'environment',
    'part',
    'patterns',
    'script',
    'table',
    'workload',
    'brief',
  ] as const satisfies (keyof typeof fileSchemas)[])
    addText(schemaFile(kind), () => `${JSON.stringify(jsonSchemaOf(kind), null, 2)}\n`);
  const patterns = await store.ownPatterns(projectId);
  if (patterns.length > 0) addYaml('patterns.yaml', 'patterns', () => writePatterns(patterns));
  const brief = await store.brief(projectId);
  if (JSON.stringify(brief) !== JSON.stringify(emptyBrief)) addYaml('brief.yaml', 'brief', () => yaml(brief));
  for (const { item, file } of listing.environments) addYaml(file, 'environment', () => writeEnvironmentFile(item));
  for (const { item, file } of listing.parts) addYaml(file, 'part', () => writePart(item));
  for (const { item, file, rows } of listing.tables) {
    addYaml(file, 'table', async () => yaml(await tableFile(store, item)));
    add(rows, () => tableRows(store, item));
  }
  for (const { item, file } of listing.scripts) addYaml(file, 'script', () => scriptText(store, item));
  for (const { item, file } of listing.workloads)
    addYaml(file, 'workload', () => {
      const fileOf = (list: readonly { id: string; file: string }[], id: string | undefined) => {
        const found = list.find((candidate) => candidate.id === id);
        return found && relativePath(file, found.file);
      };
      const used = new Set(
        listing.scripts
          .filter(({ id }) => item.crews.some((crew) => crew.scriptId === id))
          .flatMap((script) => [...boundColumns(script.item).keys()]),
      );
      const environment = fileOf(listing.environments, item.environmentId);
      return writeWorkloadFile(item, {
        script: (id) => fileOf(listing.scripts, id) ?? id,
        ...(environment === undefined ? {} : { environment }),
        data: listing.tables.filter(({ id }) => used.has(id)).map(({ item: table, rows }) => ({ table, file: relativePath(file, rows) })),
      });
    });
  return files;
}

/** The files of what was recorded and measured: takes, rehearsals, runs. */
export function recordedFiles(ground: ExportGround, { takes, rehearsals, runs }: ListedProject): OutgoingFile[] {
  const { store } = ground;
  const files: OutgoingFile[] = [];
  const add = (path: string, pieces: OutgoingFile['pieces']) => files.push({ path, pieces });
  const addText = (path: string, write: () => Promise<string> | string) => {
    add(path, async function* () {
      yield await write();
    });
  };
  for (const { item, file } of takes) add(file, () => takeHar(store, item));
  for (const { item, file } of rehearsals) addText(file, () => rehearsalJson(store, item));
  for (const { item, folder } of runs) addRun(ground, item, folder, add, addText);
  return files;
}

const yaml = (value: unknown): string => stringify(value, { lineWidth: 0, aliasDuplicateObjects: false });

async function tableFile(store: Store, { id, name, columns, deal }: DataTable): Promise<TableFile> {
  const spent = new Map<string, number[]>();
  let place = 0;
  for await (const rows of allRows(store, id))
    for (const { spentBy } of rows) {
      place++;
      if (spentBy === null) continue;
      const places = spent.get(spentBy);
      if (places) places.push(place);
      else spent.set(spentBy, [place]);
    }
  return { name, columns, deal, spent: [...spent].map(([by, rows]) => ({ by, rows: rowsText(rows) })) };
}

async function* tableRows(store: Store, { id, columns }: DataTable): AsyncGenerator<string> {
  yield writeExactCsv(
    columns.map((column) => column.name),
    [],
  );
  for await (const rows of allRows(store, id))
    // A row that was written before a column was added has no cell for it.
    yield writeExactCsv(
      null,
      rows.map(({ values }) => columns.map((_, at) => values[at] ?? '')),
    );
}

async function scriptText(store: Store, script: Script): Promise<string> {
  const bodies = new Map<string, string>();
  for (const hash of [...filesOf(script)].sort()) {
    const body = await store.body(hash);
    if (body) bodies.set(hash, Buffer.from(body.bytes).toString('base64'));
  }
  return writeScript(script, bodies);
}

/** A take as HAR 1.2, entry by entry, with what HAR has no room for beside it. */
/** Exchanges that are in memory at a time while a take is written. */
const exchangesAtATime = 200;

/** The requests of a take in order, some at a time. One that is damaged is left out, as everywhere. */
async function* requestsOf(store: Store, takeId: string): AsyncGenerator<RequestExchange> {
  for (let after: number | null = -1; after !== null;) {
    const { exchanges, last }: { exchanges: Exchange[]; last: number | null } = await store.exchangesAfter(takeId, after, exchangesAtATime);
    for (const exchange of exchanges) if (exchange.kind === 'request') yield exchange;
    after = last;
  }
}

/** A take as HAR 1.2, entry by entry, with what HAR has no room for beside it. */
async function* takeHar(store: Store, { exchangeCount: _count, ...take }: Take & { exchangeCount: number }): AsyncGenerator<string> {
  const bytes = new Map<string, Uint8Array>();
  const load = async (exchange: Exchange): Promise<void> => {
    for (const ref of [sentBody(exchange), answerBody(exchange)]) {
      const body = ref ? await store.body(ref.hash) : null;
      if (ref && body) bytes.set(ref.hash, body.bytes);
    }
  };
  const messages = await store.messageExchanges(take.id);
  for (const message of messages) await load(message);
  const readBytes = (hash: string) => bytes.get(hash);
  const { entries: _none, ...log } = exportHar(take, [], readBytes).log;
  const head = JSON.stringify({ log: { ...log, ...membersWithAll(take, messages, readBytes), entries: [] } });
  yield `${head.slice(0, head.lastIndexOf('[]') + 1)}\n`;
  let first = true;
  for await (const exchange of requestsOf(store, take.id)) {
    bytes.clear();
    await load(exchange);
    const [entry] = exportHar(take, [exchange], readBytes).log['entries'] as Parameters<typeof entryWithAll>[0][];
    if (!entry) continue;
    yield `${first ? '' : ',\n'}${JSON.stringify(entryWithAll(entry, exchange))}`;
    first = false;
  }
  yield '\n]}}\n';
}

/** A rehearsal with the bodies that it names, texts as such and others in base64. */
async function rehearsalJson(store: Store, rehearsal: Rehearsal): Promise<string> {
  const bodies: Record<string, { mimeType: string; text?: string; base64?: string }> = {};
  for (const hash of [...new Set(referredBodies(rehearsal).map((ref) => ref.hash))].sort()) {
    const body = await store.body(hash);
    if (!body) continue;
    const text = Buffer.from(body.bytes).toString('utf8');
    const isText = Buffer.from(text).equals(Buffer.from(body.bytes));
    bodies[hash] = { mimeType: body.mimeType, ...(isText ? { text } : { base64: Buffer.from(body.bytes).toString('base64') }) };
  }
  const { id: _id, scriptId: _script, ...rest } = rehearsal;
  return `${JSON.stringify({ rehearsal: { scriptId: rehearsal.scriptId, ...rest }, bodies }, null, 1)}\n`;
}

function addRun(
  { store, samples, parquetWorker }: ExportGround,
  run: Run,
  folder: string,
  add: (path: string, pieces: OutgoingFile['pieces']) => void,
  addText: (path: string, write: () => Promise<string> | string) => void,
): void {
  const { id: _id, projectId: _project, workload, ...rest } = run;
  const { projectId: _ofWorkload, ...played } = workload;
  addText(`${folder}/run.json`, () => `${JSON.stringify({ ...rest, workload: played }, null, 2)}\n`);
  const lines = (list: readonly unknown[]): string => list.map((item) => `${JSON.stringify(item)}\n`).join('');
  add(`${folder}/frames.jsonl`, async function* () {
    for (const frame of await store.frames(run.id)) yield lines([frame]);
  });
  addText(`${folder}/hosts.jsonl`, async () => lines(await store.hostPoints(run.id)));
  const captured = samples.capturePath(run.id);
  if (existsSync(captured)) add(`${folder}/captured.jsonl`, () => createReadStream(captured) as AsyncIterable<Uint8Array>);
  const samplesPath = samples.path(run.id);
  if (existsSync(samplesPath))
    add(`${folder}/samples.parquet`, async function* () {
      const temporary = await makeTemporaryFolder();
      try {
        const parquetPath = join(temporary, 'samples.parquet');
        if (await inParquetThread(parquetWorker, { kind: 'write', samplesPath, parquetPath }))
          yield* createReadStream(parquetPath) as AsyncIterable<Uint8Array>;
      } finally {
        await rm(temporary, { recursive: true, force: true });
      }
    });
}
