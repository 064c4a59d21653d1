import { createReadStream, createWriteStream, existsSync, statSync } from 'node:fs';
import { mkdir } from 'node:fs/promises';
import { join } from 'node:path';
import { Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import type { ReadableStream } from 'node:stream/web';
import { ImportedProjectSchema, ProjectSummarySchema, type ImportedProject, type ProjectSummary } from '@sturdy/core';
import type { ProjectSource } from '@sturdy/server/project-files';
import { InvalidArgumentError, Option, type Command } from 'commander';
import { mustExist } from '../input-files.js';
import { answerOf, ask } from '../ask-server.js';
import { addSecretsOption, secretsFrom, type SecretsOptions } from '../secrets.js';
import { UsageError } from '../usage-error.js';

/** Files with zips and folders are loaded only where a command needs them. */
const projectFiles = () => import('@sturdy/server/project-files');

interface ServerOption {
  server: string;
}
const somethingWrong = 1;

function seconds(text: string): number {
  const read = Number(text);
  if (!(read >= 0.2 && read <= 3600)) throw new InvalidArgumentError('Write seconds, from 0.2 to 3600.');
  return read;
}

/** Projects as files: out of a running server, into it, and checked without one. */
export function addProject(program: Command): void {
  const project = program.command('project').description('projects as files: a folder for version control, or one zip');
  const withServer = (command: Command): Command =>
    command.option('--server <address>', 'address of the server that has, or gets, the project', 'http://127.0.0.1:4300');

  withServer(project.command('export'))
    .description('bring a folder, or a zip, to the state of a project of a running server')
    .argument('<project>', 'its name or its id')
    .argument('<to>', 'a folder, made where it is missing, or a file that ends in .zip')
    .addHelpText(
      'after',
      `
In a folder only what differs is written; files that the project no longer has are removed, and others of yours stay.
Secrets of environments stay out. What was typed while recording is in takes and scripts: keep the files as you keep passwords.
Example: sturdy project export "Tidewell release 4.2" tidewell/`,
    )
    .action(async (name: string, to: string, { server }: ServerOption) => {
      const { id } = await found(server, name);
      await withZip(server, id, async (zip) => {
        if (to.endsWith('.zip')) {
          await pipeline(createReadStream(zip), createWriteStream(to, { mode: 0o600 }));
          process.stdout.write(`${to} was written\n`);
          return;
        }
        const { openProjectZip, writeProjectFolder } = await projectFiles();
        const source = await openProjectZip(zip);
        try {
          await mkdir(to, { recursive: true });
          const { written, removed } = await writeProjectFolder(source, to);
          for (const path of written) process.stdout.write(`wrote ${path}\n`);
          for (const path of removed) process.stdout.write(`removed ${path}\n`);
          process.stdout.write(`${to}: ${source.paths.length} files, ${written.length} written, ${removed.length} removed\n`);
        } finally {
          source.close();
        }
      });
    });

  addSecretsOption(withServer(project.command('import')))
    .description('make a project of a folder, or a zip, on a running server')
    .argument('<from>', 'a folder with project.yaml, or a zip of one')
    .option('--name <name>', 'another name than project.yaml says')
    .addHelpText(
      'after',
      `
A project that is still there becomes a copy of its own. Nothing is imported where something is wrong with the files.
Secrets that the files name are given from --secrets or the environment of the command; what is still missing is told.
Example: sturdy project import tidewell/ --name "Tidewell release 4.3" --secrets secrets.env`,
    )
    .action(async (from: string, options: ServerOption & SecretsOptions & { name?: string }) => {
      const secretOf = secretsFrom(options);
      const imported = await withSource(from, (source) => upload(options.server, source, options.name));
      const left = await give(options.server, imported, secretOf);
      process.stdout.write(`“${imported.project.name}” was imported: ${options.server}/projects/${imported.project.id}/board\n`);
      for (const { environment, secrets } of left)
        for (const { name, what } of secrets) process.stdout.write(`missing secret ${name}: ${what} (${environment})\n`);
      for (const origin of imported.uncleared) process.stdout.write(`not cleared here: ${origin}\n`);
    });

  withServer(project.command('watch'))
    .description('keep a folder and a project of a running server equal, while both are worked on')
    .argument('<project>', 'its name or its id')
    .argument('<folder>', 'made where it is missing')
    .addOption(new Option('--every <seconds>', 'how often both are looked at').default(2).argParser(seconds))
    .option('--once', 'bring both to the same state and end', false)
    .addHelpText(
      'after',
      `
What changed on one side goes to the other: scripts, parts, workloads, environments, patterns, settings and tables both ways, what was recorded and run into
the folder only. Where both changed, nothing is overwritten: what the product has is put beside, with “.in-product” in its name; delete that file to keep
yours, or put it in the place of yours. What a change in the folder replaces is an earlier version in the product.
Exit status of --once: 0 both are equal, 1 somebody has to decide, 2 it could not be done.
Example: sturdy project watch "Tidewell release 4.2" tidewell/`,
    )
    .action(async (name: string, folder: string, { server, every, once }: ServerOption & { every: number; once: boolean }) => {
      const { id } = await found(server, name);
      await mkdir(folder, { recursive: true });
      const { FolderWatch } = await import('../watch/folder-watch.js');
      const watch = new FolderWatch(server, id, folder, (line) => process.stdout.write(`${line}\n`));
      const open = await watch.round();
      process.stdout.write(
        open === 0 ? `${folder} and “${name}” are equal\n` : `${open} ${open === 1 ? 'file is' : 'files are'} not equal; see above\n`,
      );
      if (once) {
        if (open > 0) process.exitCode = somethingWrong;
        return;
      }
      let isAway = false;
      for (;;) {
        await new Promise((done) => setTimeout(done, every * 1000));
        try {
          await watch.round();
          if (isAway) process.stdout.write('The server answers again\n');
          isAway = false;
        } catch (error) {
          if (!(error instanceof UsageError)) throw error;
          // A server that is started anew is watched on.
          if (!isAway) process.stdout.write(`${error.message}\n`);
          isAway = true;
        }
      }
    });

  project
    .command('check')
    .description(
      'say everything that is wrong with the files of a project that people write, with file, line and column; no server is needed',
    )
    .argument('<folder or zip>', 'a folder with project.yaml, or a zip of one')
    .addHelpText(
      'after',
      '\nExit status: 0 nothing is wrong, 1 something is, 2 it cannot be read.\nExample: sturdy project check tidewell/',
    )
    .action(async (from: string) => {
      const { checkProject } = await projectFiles();
      const { files, faults } = await withSource(from, (source) => checkProject(source));
      for (const { file, line, column, message } of faults) process.stdout.write(`${file}:${line}:${column}: ${message}\n`);
      if (faults.length === 0) process.stdout.write(`${from}: a project, nothing is wrong with its ${files} written files\n`);
      else process.exitCode = somethingWrong;
    });
}

async function found(server: string, name: string): Promise<ProjectSummary> {
  const projects = await ask(`${server}/api/projects`, {
    parse: (value) => (value as unknown[]).map((project): ProjectSummary => ProjectSummarySchema.parse(project)),
  });
  const project =
    projects.find(({ id }) => id === name) ?? projects.find((candidate) => candidate.name === name && candidate.state !== 'deleted');
  if (project) return project;
  const names = projects.flatMap((candidate) => (candidate.state === 'deleted' ? [] : [`“${candidate.name}”`]));
  throw new UsageError(`There is no project “${name}” on ${server}. It has: ${names.join(', ') || 'none'}.`);
}

/** Has a project as a zip in a file of its own for as long as `use` takes. */
async function withZip(server: string, projectId: string, use: (path: string) => Promise<void>): Promise<void> {
  const { inTemporaryFolder } = await projectFiles();
  await inTemporaryFolder(async (folder) => {
    const path = join(folder, 'project.zip');
    const { body } = await answerOf(`${server}/api/projects/${projectId}/export`);
    if (!body) throw new UsageError('The server sent nothing.');
    await pipeline(Readable.fromWeb(body as ReadableStream), createWriteStream(path, { mode: 0o600 }));
    await use(path);
  });
}

/** Opens a folder or a zip. Throws where it is neither. */
async function withSource<T>(from: string, use: (source: ProjectSource) => Promise<T>): Promise<T> {
  mustExist(from, 'The project');
  const { openProjectFolder, openProjectZip } = await projectFiles();
  if (statSync(from).isDirectory()) {
    if (!existsSync(join(from, 'project.yaml')))
      throw new UsageError(`${from} has no project.yaml. Name the folder of a project that was exported.`);
    return use(await openProjectFolder(from));
  }
  const source = await openProjectZip(from);
  try {
    return await use(source);
  } finally {
    source.close();
  }
}

async function upload(server: string, source: ProjectSource, name: string | undefined): Promise<ImportedProject> {
  const { inTemporaryFolder, outgoing, writeProjectZip } = await projectFiles();
  return inTemporaryFolder(async (folder) => {
    const path = join(folder, 'project.zip');
    await writeProjectZip(outgoing(source), createWriteStream(path, { mode: 0o600 }));
    const query = name === undefined ? '' : `?${new URLSearchParams({ name }).toString()}`;
    return ask(`${server}/api/projects/import${query}`, ImportedProjectSchema, {
      method: 'POST',
      headers: { 'Content-Type': 'application/zip' },
      body: Readable.toWeb(createReadStream(path)) as NonNullable<RequestInit['body']>,
      duplex: 'half',
    });
  });
}

/** Gives what is known of the secrets that a project needs; resolves with those that are still missing. */
async function give(
  server: string,
  { project, missing }: ImportedProject,
  secretOf: (name: string) => string | undefined,
): Promise<ImportedProject['missing']> {
  const known = missing
    .flatMap(({ secrets }) => secrets)
    .flatMap(({ name }): [string, string][] => {
      const secret = secretOf(name);
      return secret === undefined ? [] : [[name, secret]];
    });
  if (known.length === 0) return missing;
  return ask(
    `${server}/api/projects/${project.id}/missing-secrets`,
    { parse: (value: unknown) => ImportedProjectSchema.shape.missing.parse(value) },
    {
      method: 'PUT',
      headers: { 'Content-Type': 'application/json' },
      body: JSON.stringify(Object.fromEntries(known)),
    },
  );
}
