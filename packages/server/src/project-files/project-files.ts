import { createWriteStream } from 'node:fs';
import { join } from 'node:path';
import { Readable, type Writable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import type { ImportedProject } from '@sturdy/core';
import { Problem } from '../problem/problem.js';
import { newProjectId, type Projects } from '../projects/projects.js';
import { inTemporaryFolder } from '../temporary/temporary-folder.js';
import { exportProject } from './export-project.js';
import { importProject, type ImportGround } from './import-project.js';
import type { OutgoingFile, ProjectSource } from './project-source.js';
import { openProjectZip, writeProjectZip } from './project-zip.js';

/** Projects as files: out of the store, and into it. */
export class ProjectFiles {
  constructor(
    readonly ground: ImportGround,
    readonly projects: Pick<Projects, 'needFreeName' | 'freeName'>,
  ) {}

  /** All files of a project; what is in one is read when it is asked for. */
  files(projectId: string): Promise<OutgoingFile[]> {
    return exportProject(this.ground, projectId);
  }

  /** Writes a project as a zip, no faster than it is taken. */
  async writeZip(projectId: string, to: Writable): Promise<void> {
    await writeProjectZip(await this.files(projectId), to);
  }

  /**
   * Makes a project of a zip that is uploaded, under a name of its own where its name is taken. Throws a problem where something in it is wrong: nothing is imported
   * then.
   */
  async importZip(upload: Readable, by: string, name?: string): Promise<ImportedProject> {
    if (name !== undefined) await this.projects.needFreeName(name);
    return inTemporaryFolder(async (folder) => {
      const path = join(folder, 'project.zip');
      await pipeline(upload, createWriteStream(path, { mode: 0o600 })).catch(() => {
        throw new Problem(499, 'The upload was broken off', 'The import was cancelled; nothing of it was kept.');
      });
      const zip = await openProjectZip(path);
      try {
        return await this.#import(zip, by, (said) => (name === undefined ? this.projects.freeName(said) : Promise.resolve(name)));
      } finally {
        zip.close();
      }
    });
  }

  /** Makes a copy of a project with all that is in it, secrets too; but for its clearances, which were given for another one. */
  async duplicate(projectId: string, name: string, by: string): Promise<ImportedProject> {
    await this.projects.needFreeName(name);
    const files = new Map((await this.files(projectId)).map((file) => [file.path, file]));
    const source: ProjectSource = {
      paths: [...files.keys()],
      open: (path) => Promise.resolve(Readable.from(files.get(path)?.pieces() ?? [], { objectMode: false })),
    };
    const { project, uncleared } = await this.#import(source, by, () => Promise.resolve(name));
    const { store } = this.ground;
    for (const environment of await store.environments(projectId))
      await store.saveEnvironment({ ...environment, projectId: project.id, clearances: [] });
    return { project, missing: [], uncleared };
  }

  #import(source: ProjectSource, by: string, nameFor: (said: string) => Promise<string>): Promise<ImportedProject> {
    return importProject(this.ground, source, { projectId: newProjectId(), nameFor, by });
  }
}
