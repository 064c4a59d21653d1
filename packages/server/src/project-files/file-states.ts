import { createHash } from 'node:crypto';
import { text } from 'node:stream/consumers';
import { Readable } from 'node:stream';
import { isRefusal, type ProjectFileState } from '@sturdy/core';
import { Problem } from '../problem/problem.js';
import { recordedFiles, writtenFiles, type ExportGround } from './export-project.js';
import { listProject, type ListedProject } from './list-project.js';
import type { OutgoingFile } from './project-source.js';
import { takeInFile, type TakingIn } from './take-in-file.js';

const digestOf = (content: string): string => createHash('sha256').update(content).digest('hex');

/** So long the files of a list are given as they were listed, in ms. */
const listedForMs = 5000;

/** Single files of a project, for a folder that is kept equal to it. */
export class FileStates {
  /** What was listed last: whoever lists a project asks for many of its files next. */
  #listed: { projectId: string; files: OutgoingFile[]; untilMs: number } | null = null;

  constructor(
    readonly ground: ExportGround,
    readonly takingIn: TakingIn,
  ) {}

  /** All files as they are now. The revision of a text that people write is its SHA-256; that of what may be large comes from what it is made of. */
  async list(projectId: string): Promise<ProjectFileState[]> {
    const listing = await listProject(this.ground.store, projectId);
    const states: ProjectFileState[] = [];
    const [written, recorded] = [await writtenFiles(this.ground.store, projectId, listing), recordedFiles(this.ground, listing)];
    this.#listed = { projectId, files: [...written, ...recorded], untilMs: performance.now() + listedForMs };
    for (const file of written) states.push(await this.#stateOf(listing, file));
    const sources = recordedSources(listing);
    for (const { path } of recorded)
      states.push({
        path,
        revision: digestOf(JSON.stringify(sources.get(path) ?? sources.get(path.replace(/\/[^/]+$/, '')))),
        isWritten: false,
      });
    return states;
  }

  /** A file as it was listed a moment ago. Throws a problem where there is none of that path. */
  async file(projectId: string, path: string): Promise<OutgoingFile> {
    if (this.#listed?.projectId !== projectId || this.#listed.untilMs < performance.now()) await this.list(projectId);
    const found = this.#listed?.files.find((file) => file.path === path);
    if (!found) throw new Problem(404, 'No such file', `The project has no file ${path} now. List its files anew.`);
    return found;
  }

  /**
   * Takes in the changed text of a file that was changed from the revision `from`; gives what all files are then, because one change may change others. Throws a problem where the
   * product has changed it meanwhile, or something is wrong with the text; then nothing is changed.
   */
  async put(projectId: string, path: string, from: string, content: string, by: string): Promise<ProjectFileState[]> {
    const listing = await listProject(this.ground.store, projectId);
    const file = (await writtenFiles(this.ground.store, projectId, listing)).find((candidate) => candidate.path === path);
    if (!file) throw new Problem(404, 'No such file', `The project has no file ${path} that a text can be put into. List its files anew.`);
    const state = await this.#stateOf(listing, file);
    if (state.revision !== from)
      throw new Problem(
        409,
        'It was changed meanwhile',
        `${path} was changed in the product since. Read it anew, and put your change into that.`,
      );
    try {
      await takeInFile(this.takingIn, projectId, listing, path, content, by);
    } catch (error) {
      throw isRefusal(error) ? new Problem(422, 'The file cannot be taken in', error.message) : error;
    }
    return this.list(projectId);
  }

  async #stateOf(listing: ListedProject, { path, pieces }: OutgoingFile): Promise<ProjectFileState> {
    const table = listing.tables.find(({ file, rows }) => file === path || rows === path)?.item;
    const isWritten = !path.startsWith('schemas/');
    if (!table) return { path, revision: digestOf(await text(Readable.from(pieces()))), isWritten };
    // Rows may be millions: what they were changed by tells as much.
    const { version, rowCount, spentCount, ...described } = table;
    const isRows = path.endsWith('.csv');
    return {
      path,
      revision: digestOf(JSON.stringify([described.columns, version, rowCount, isRows ? null : [spentCount, described]])),
      isWritten,
    };
  }
}

/** What files of takes, rehearsals and runs are made of, by their paths; that of a run by its folder. */
function recordedSources({ takes, rehearsals, runs }: ListedProject): Map<string, unknown> {
  return new Map<string, unknown>([
    ...takes.map(({ file, item }): [string, unknown] => [file, item]),
    ...rehearsals.map(({ file, item }): [string, unknown] => [file, item]),
    ...runs.map(({ folder, item }): [string, unknown] => [folder, [item.id, item.state, item.endedAt, item.note]]),
  ]);
}
