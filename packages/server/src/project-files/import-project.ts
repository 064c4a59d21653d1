import { randomUUID } from 'node:crypto';
import { createWriteStream } from 'node:fs';
import { join } from 'node:path';
import { pipeline } from 'node:stream/promises';
import {
  BriefFileSchema,
  CsvReader,
  environmentFault,
  environmentOfFile,
  EnvironmentFileSchema,
  FrameSchema,
  HostPointSchema,
  idChanger,
  isRefusal,
  listedIds,
  missingSecretsOf,
  ProjectFileSchema,
  readPart,
  readPatterns,
  readScript,
  readYamlAs,
  RehearsalSchema,
  rowsOfText,
  RunSchema,
  TableFileSchema,
  UserLogEntrySchema,
  WorkloadSchema,
  type Frame,
  type ImportedProject,
  type ProjectFile,
  type YamlProblem,
  type YamlSchema,
} from '@sturdy/core';
import * as z from 'zod';
import { importHarStream } from '../import/import-har.js';
import { Problem } from '../problem/problem.js';
import type { SampleFiles } from '../samples/sample-files.js';
import { inParquetThread } from '../samples/parquet-thread.js';
import { ownFolder } from '../store/own-folder.js';
import { storedBody } from '../store/stored-body.js';
import type { Store } from '../store/store-client.js';
import { inTemporaryFolder } from '../temporary/temporary-folder.js';
import { namedFiles } from './project-folder.js';
import { csvRecords, storeScriptFiles, workloadFrom } from './read-text.js';
import { linesOf, textOf, type ProjectSource } from './project-source.js';

/** Where the files of a project go. */
export interface ImportGround {
  store: Store;
  samples: SampleFiles;
  parquetWorker: URL;
  importWorker: URL;
}

/** Who imports, what it shall be called, and where it goes. */
export interface ImportAs {
  projectId: string;
  /** What it is called: the name that the files say, or another one. Throws a problem where that cannot be. */
  nameFor: (said: string) => Promise<string>;
  by: string;
}

const RunFileSchema = RunSchema.omit({ id: true, projectId: true }).extend({ workload: WorkloadSchema.omit({ projectId: true }) });
const RehearsalFileSchema = z.object({
  rehearsal: RehearsalSchema.omit({ id: true }),
  bodies: z.record(z.string(), z.object({ mimeType: z.string(), text: z.string().optional(), base64: z.string().optional() })),
});

/**
 * Reads a project out of its files. Nobody sees it before all of it is there: what a crash leaves is cleared away at the next start, and what is broken off
 * leaves nothing. Throws a problem that names file, line and column where something is wrong.
 */
export async function importProject(ground: ImportGround, source: ProjectSource, as: ImportAs): Promise<ImportedProject> {
  const { store, samples } = ground;
  try {
    return await new ProjectImport(ground, source, as).read();
  } catch (error) {
    for (const runId of await store.deleteProject(as.projectId)) await samples.delete(runId);
    // What is no refusal is a fault of the program, or of what it stands on, and none of the files.
    throw isRefusal(error) ? faulty([error.message]) : error;
  }
}

const mostTold = 20;
const faulty = (lines: readonly string[]): Problem =>
  new Problem(
    422,
    'The project cannot be imported',
    `${lines.slice(0, mostTold).join('\n')}${lines.length > mostTold ? `\nand ${lines.length - mostTold} more` : ''}\nNothing was imported.`,
  );

class ProjectImport {
  #change: (text: string) => string = (text) => text;
  #ids: ReadonlyMap<string, string> = new Map();
  readonly #at = new Date().toISOString();

  constructor(
    readonly ground: ImportGround,
    readonly source: ProjectSource,
    readonly as: ImportAs,
  ) {}

  async read(): Promise<ImportedProject> {
    const { store } = this.ground;
    const { projectId } = this.as;
    if (!this.source.paths.includes('project.yaml'))
      throw new Problem(422, 'Not a project', 'There is no project.yaml in it. Export a project, and import that file.');
    const contents = await this.#yaml('project.yaml', ProjectFileSchema);
    const name = await this.as.nameFor(contents.name);
    await store.saveImportedProject(projectId, name);
    this.#needFiles(contents);
    await this.#freshIds(contents);
    const { missing, uncleared } = await this.#environments(contents);
    if (this.source.paths.includes('patterns.yaml')) {
      const read = readPatterns(await textOf(this.source, 'patterns.yaml'));
      if ('problems' in read) throw faulty(lines('patterns.yaml', read.problems));
      await store.savePatterns(projectId, read.list);
    }
    // Ids of scripts stand in it, so it is changed with them.
    if (this.source.paths.includes('brief.yaml'))
      await store.saveBrief(projectId, await this.#yaml('brief.yaml', BriefFileSchema, this.#change));
    for (const { id, file } of contents.parts) {
      const read = readPart(this.#change(await textOf(this.source, file)), { id: this.#id(id), projectId });
      if ('problems' in read) throw faulty(lines(file, read.problems));
      await store.savePart(read.part);
    }
    for (const table of contents.tables) await this.#table(table);
    for (const { id, file, madeFor } of contents.takes)
      await importHarStream(store, this.ground.importWorker, await this.source.open(file), {
        projectId,
        name: file.replace(/^.*\/|\.har$/g, ''),
        id: this.#id(id),
        madeFor: madeFor === undefined ? undefined : this.#id(madeFor),
      });
    for (const script of contents.scripts) await this.#script(script);
    for (const { id, file } of contents.rehearsals) await this.#rehearsal(this.#id(id), file);
    for (const { id, file } of contents.workloads) await this.#workload(contents, this.#id(id), file);
    for (const { id, folder } of contents.runs) await this.#run(this.#id(id), folder);
    await store.saveProjectSettings(projectId, contents.settings);
    await store.saveProject({ id: projectId, name, state: 'active' });
    return { project: { id: projectId, name, state: 'active' }, missing, uncleared };
  }

  /** Every file that is listed has to be there before anything is written. */
  #needFiles(contents: ProjectFile): void {
    const there = new Set(this.source.paths);
    const named = namedFiles(contents);
    const lost = named.filter((path) => !there.has(path));
    if (lost.length > 0)
      throw faulty(
        lost.map((path) => `project.yaml names ${path}, which is not there. Put the file back, or take it out of project.yaml.`),
      );
  }

  /** Ids stay as they are, so that a project that comes back is the same; where some are taken, it is a copy, and all are new. */
  async #freshIds(contents: ProjectFile): Promise<void> {
    const ids = listedIds(contents);
    if (new Set(ids).size < ids.length) throw faulty(['project.yaml lists an id twice. Give one of the two another.']);
    if ((await this.ground.store.takenIds(ids)).length === 0) return;
    const parts = new Set(contents.parts.map(({ id }) => id));
    this.#ids = new Map(ids.map((id) => [id, parts.has(id) ? `p${randomUUID().slice(0, 8)}` : randomUUID()]));
    this.#change = idChanger(this.#ids);
  }

  #id(id: string): string {
    return this.#ids.get(id) ?? id;
  }

  async #yaml<T>(path: string, schema: YamlSchema<T>, change: (text: string) => string = (text) => text): Promise<T> {
    const read = readYamlAs(change(await textOf(this.source, path)), schema);
    if ('problems' in read) throw faulty(lines(path, read.problems));
    return read.value;
  }

  async #json<T>(path: string, schema: z.ZodType<T>): Promise<T> {
    let value: unknown;
    try {
      value = JSON.parse(this.#change(await textOf(this.source, path)));
    } catch (error) {
      throw faulty([`${path}: This is no JSON: ${error instanceof Error ? error.message : String(error)}`]);
    }
    return fitting(path, schema, value);
  }

  async #environments({ environments }: ProjectFile): Promise<Pick<ImportedProject, 'missing' | 'uncleared'>> {
    const missing: ImportedProject['missing'] = [];
    const uncleared = new Set<string>();
    for (const { id, file } of environments) {
      const environment = {
        ...environmentOfFile(await this.#yaml(file, EnvironmentFileSchema)),
        id,
        projectId: this.as.projectId,
      };
      const fault = environmentFault(environment);
      if (fault !== null) throw faulty([`${file}: ${fault}`]);
      for (const { origin } of environment.clearances) uncleared.add(origin);
      // Who allowed a target elsewhere has not allowed it here.
      await this.ground.store.saveEnvironment({ ...environment, clearances: [] });
      const secrets = missingSecretsOf(environment);
      if (secrets.length > 0) missing.push({ environment: environment.name, secrets });
    }
    return { missing, uncleared: [...uncleared] };
  }

  async #table({ id: listed, file, rows }: ProjectFile['tables'][number]): Promise<void> {
    const { store } = this.ground;
    const id = this.#id(listed);
    const { name, columns, deal, spent } = await this.#yaml(file, TableFileSchema, this.#change);
    const reader = new CsvReader(',');
    const decoder = new TextDecoder();
    let count = -1;
    // The table comes first, so that its rows go with it where something is wrong with them.
    await store.saveTable({ id, projectId: this.as.projectId, name, columns, deal }, []);
    const take = async (records: ReturnType<CsvReader['write']>): Promise<void> => {
      // The first record names the columns.
      const some = count < 0 ? records.slice(1) : records;
      if (records.length === 0) return;
      const before = Math.max(0, count);
      count = before + some.length;
      for (const { line, fields } of some)
        if (fields.length !== columns.length)
          throw faulty([`${rows}:${line}:1: The row has ${fields.length} cells, and the table has ${columns.length} columns (${file}).`]);
      if (some.length > 0)
        await store.importRows(
          id,
          before,
          some.map(({ fields }) => fields),
        );
    };
    for await (const piece of await this.source.open(rows))
      await take(csvRecords(rows, () => reader.write(decoder.decode(piece as Buffer, { stream: true }).replace(/^\uFEFF/, ''))));
    await take(csvRecords(rows, () => reader.end()));
    for (const { by, rows: text } of spent) await store.setSpent(id, [...rowsOfText(text)], by);
  }

  async #script({ id, file, take, secondTake }: ProjectFile['scripts'][number]): Promise<void> {
    const { store } = this.ground;
    const read = readScript(this.#change(await textOf(this.source, file)), {
      id: this.#id(id),
      projectId: this.as.projectId,
      takeId: this.#id(take),
      secondTakeId: secondTake === null ? null : this.#id(secondTake),
    });
    if ('problems' in read) throw faulty(lines(file, read.problems));
    await storeScriptFiles(store, file, read.files);
    await store.saveScript(read.script, this.as.by, this.#at, 'Imported');
  }

  async #rehearsal(id: string, file: string): Promise<void> {
    const { rehearsal, bodies } = await this.#json(file, RehearsalFileSchema);
    await this.ground.store.putBodies(
      Object.values(bodies).map(
        ({ mimeType, text, base64 }) =>
          storedBody(base64 === undefined ? Buffer.from(text ?? '') : Buffer.from(base64, 'base64'), mimeType).stored,
      ),
    );
    await this.ground.store.saveRehearsal({ ...rehearsal, id });
  }

  async #workload(contents: ProjectFile, id: string, file: string): Promise<void> {
    const text = this.#change(await textOf(this.source, file));
    const workload = workloadFrom(contents, file, text, { id, projectId: this.as.projectId }, (listed) => this.#id(listed));
    await this.ground.store.saveWorkload(workload, this.as.by, this.#at, 'Imported');
  }

  async #run(id: string, folder: string): Promise<void> {
    const { store, samples, parquetWorker } = this.ground;
    const run = await this.#json(`${folder}/run.json`, RunFileSchema);
    await store.saveRun({ ...run, id, projectId: this.as.projectId, workload: { ...run.workload, projectId: this.as.projectId } });
    await this.#lines(`${folder}/frames.jsonl`, FrameSchema, 100, (frames: Frame[]) => store.saveFrames(id, frames));
    await this.#lines(`${folder}/hosts.jsonl`, HostPointSchema, 500, (points) => store.saveHostPoints(id, points));
    await this.#lines(`${folder}/captured.jsonl`, UserLogEntrySchema, 500, async (entries) => {
      samples.capture(id, entries);
      await samples.end(id);
    });
    const parquet = `${folder}/samples.parquet`;
    if (!this.source.paths.includes(parquet)) return;
    await inTemporaryFolder(async (folder) => {
      const parquetPath = join(folder, 'samples.parquet');
      await pipeline(await this.source.open(parquet), createWriteStream(parquetPath));
      ownFolder(samples.folder);
      await inParquetThread(parquetWorker, { kind: 'read', parquetPath, samplesPath: samples.path(id) }).catch((error: unknown) => {
        throw faulty([`${parquet}: It cannot be read as Parquet: ${error instanceof Error ? error.message : String(error)}`]);
      });
    });
  }

  /** Reads a file of a JSON document a line, some at a time; nothing where there is no such file. */
  async #lines<T>(path: string, schema: z.ZodType<T>, some: number, keep: (items: T[]) => Promise<void>): Promise<void> {
    if (!this.source.paths.includes(path)) return;
    let items: T[] = [];
    let number = 0;
    for await (const line of linesOf(await this.source.open(path))) {
      number++;
      if (line.trim() === '') continue;
      let value: unknown;
      try {
        value = JSON.parse(this.#change(line));
      } catch (error) {
        throw faulty([`${path}:${number}:1: This is no JSON: ${error instanceof Error ? error.message : String(error)}`]);
      }
      items.push(fitting(`${path}:${number}:1`, schema, value));
      if (items.length < some) continue;
      await keep(items);
      items = [];
    }
    if (items.length > 0) await keep(items);
  }
}

const lines = (path: string, problems: readonly YamlProblem[]): string[] =>
  problems.map(({ line, column, message }) => `${path}:${line}:${column}: ${message}`);

function fitting<T>(where: string, schema: z.ZodType<T>, value: unknown): T {
  const parsed = schema.safeParse(value);
  if (parsed.success) return parsed.data;
  throw faulty(parsed.error.issues.slice(0, 5).map(({ path, message }) => `${where}: ${path.join('.') || 'it'}: ${message}`));
}
