import { createReadStream, existsSync } from 'node:fs';
import { mkdir, readdir, readFile, rm, writeFile } from 'node:fs/promises';
import { dirname, join, sep } from 'node:path';
import { buffer } from 'node:stream/consumers';
import { ProjectFileSchema, readYamlAs, type ProjectFile } from '@sturdy/core';
import type { OutgoingFile, ProjectSource } from './project-source.js';

/** The files of a folder. What begins with a dot, such as that of version control, is none of the project. */
export async function openProjectFolder(folder: string): Promise<ProjectSource> {
  const entries = await readdir(folder, { recursive: true, withFileTypes: true });
  const paths = entries
    .filter((entry) => entry.isFile())
    .map((entry) => join(entry.parentPath, entry.name).slice(join(folder, sep).length).split(sep).join('/'))
    .filter((path) => !path.split('/').some((part) => part.startsWith('.')));
  return { paths, open: (path) => Promise.resolve(createReadStream(join(folder, path))) };
}

/** The files of a folder as they go out. */
export const outgoing = ({ paths, open }: ProjectSource): OutgoingFile[] =>
  [...paths].sort().map((path) => ({
    path,
    pieces: async function* () {
      yield* (await open(path)) as AsyncIterable<Uint8Array>;
    },
  }));

/** What was done to a folder. */
export interface WrittenFolder {
  written: string[];
  removed: string[];
}

/**
 * Brings a folder to the state of a project. Files that are the same are not touched; those that the project named before and names no more are removed; files that it
 * never named stay.
 */
export async function writeProjectFolder(source: ProjectSource, folder: string): Promise<WrittenFolder> {
  const before = await listedFiles(folder);
  const written: string[] = [];
  for (const path of source.paths) {
    const target = join(folder, path);
    const bytes = await buffer(await source.open(path));
    if (existsSync(target) && (await readFile(target)).equals(bytes)) continue;
    await mkdir(dirname(target), { recursive: true });
    await writeFile(target, bytes, { mode: 0o600 });
    written.push(path);
  }
  const now = new Set(source.paths);
  const removed = before.filter((path) => !now.has(path) && existsSync(join(folder, path)));
  for (const path of removed) await rm(join(folder, path));
  return { written, removed };
}

/** All files that a project names, in whatever way. */
export const namedFiles = ({ environments, takes, parts, tables, scripts, rehearsals, workloads, runs }: ProjectFile): string[] => [
  ...[environments, takes, parts, tables, scripts, rehearsals, workloads].flatMap((list: { file: string }[]) =>
    list.map(({ file }) => file),
  ),
  ...tables.map(({ rows }) => rows),
  ...runs.map(({ folder }) => `${folder}/run.json`),
];

/** What may lie in the folder of a run. */
const runFiles = ['frames.jsonl', 'hosts.jsonl', 'captured.jsonl', 'samples.parquet'];

async function listedFiles(folder: string): Promise<string[]> {
  const path = join(folder, 'project.yaml');
  if (!existsSync(path)) return [];
  const read = readYamlAs(await readFile(path, 'utf8'), ProjectFileSchema);
  if ('problems' in read) return [];
  return [
    'patterns.yaml',
    'brief.yaml',
    ...namedFiles(read.value),
    ...read.value.runs.flatMap((run) => runFiles.map((file) => `${run.folder}/${file}`)),
  ];
}
