import { existsSync, readFileSync, renameSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { Readable } from 'node:stream';
import type { ReadableStream } from 'node:stream/web';
import { readFile } from 'node:fs/promises';
import { ProjectFileStateSchema, syncStep, type ProjectFileState, type SyncedFile, type SyncStep } from '@sturdy/core';
import * as z from 'zod';
import { answerOf, ask, RefusedAnswer } from '../ask-server.js';
import { UsageError } from '../usage-error.js';
import { copyOf, FolderFiles } from './folder-files.js';

/** What is remembered in the folder from one round to the next, also over an end of the command. */
const MemorySchema = z.object({
  server: z.string(),
  project: z.string(),
  files: z.record(z.string(), z.object({ revision: z.string(), digest: z.string() })),
  /** Revisions of which the text was put beside a file, because both sides had changed it. */
  copied: z.record(z.string(), z.string()),
});
type Memory = z.infer<typeof MemorySchema>;

/** What a folder may hold that is a file of the project, though the project does not know it. */
const isWrittenPath = (path: string): boolean =>
  /^(?:(?:scripts|parts|workloads|environments)\/.*\.yaml|tables\/.*\.(?:yaml|csv)|(?:patterns|brief)\.yaml)$/.test(path);

/** A large project has many files: its memory is not written anew for each of them. */
const changesAtATime = 100;

const words: Record<Exclude<SyncStep, 'fetch' | 'send' | 'remove' | 'conflict'>, string> = {
  gone: 'is not in the folder any more, and stays in the product. Delete there what it stands for, or have it back by deleting .sturdy-watch.json.',
  kept: 'was deleted in the product, and changed here. It stays here; nothing keeps it equal any more.',
  foreign: 'was changed here, and only the product can change it. It is left as it is.',
  new: 'is not in the project. Make it in the product, or import the folder as a project of its own.',
};

/**
 * Keeps a folder and a project of a running server equal, file by file: what changed on one side goes to the other. Where both changed, nothing is overwritten: the text
 * of the product is put beside, and whoever watches decides.
 */
export class FolderWatch {
  readonly #files: FolderFiles;
  readonly #memory: Memory;
  /** Changes of the memory that are not in its file yet. */
  #changes = 0;
  /** What was said of each file, so that it is said once. */
  readonly #said = new Map<string, string>();

  /** `say` is told each thing that was done. Throws where the folder is kept equal to something else. */
  constructor(
    readonly server: string,
    readonly project: string,
    readonly folder: string,
    readonly say: (line: string) => void,
  ) {
    this.#files = new FolderFiles(folder);
    this.#memory = this.#remembered();
  }

  /** Brings both to the same state once. Resolves with how many files are not equal, because somebody has to decide. */
  async round(): Promise<number> {
    try {
      return await this.#round();
    } finally {
      if (this.#changes > 0) this.#keep();
    }
  }

  async #round(): Promise<number> {
    let states = await this.#list();
    const open = new Set<string>();
    // What is taken in may change other files, so all are looked at anew after it.
    for (let isSettled = false; !isSettled;) {
      isSettled = true;
      const digests = await this.#files.digests();
      const known = new Map(states.map((state) => [state.path, state]));
      const paths = new Set([...known.keys(), ...Object.keys(this.#memory.files), ...digests.keys()]);
      open.clear();
      for (const path of paths) {
        const state = known.get(path);
        const digest = digests.get(path) ?? null;
        const base = this.#memory.files[path] ?? null;
        const step = syncStep({
          path,
          base,
          revision: state?.revision ?? null,
          digest,
          isWritten: state?.isWritten ?? isWrittenPath(path),
        });
        if (step === null) {
          // Both were changed to the same text, or both have none any more.
          if (state && digest !== null && (base?.revision !== state.revision || base.digest !== digest))
            this.#remember(path, { revision: state.revision, digest });
          if (!state && digest === null) this.#forget(path);
          this.#settle(path);
          continue;
        }
        const after = await this.#take(step, path, state, digest);
        if (after === 'open') open.add(path);
        if (Array.isArray(after)) {
          states = after;
          isSettled = false;
          break;
        }
      }
    }
    return open.size;
  }

  /** Does one step: gives what the files of the product are then where they may have changed, and `open` where somebody has to decide. */
  async #take(
    step: SyncStep,
    path: string,
    state: ProjectFileState | undefined,
    digest: string | null,
  ): Promise<ProjectFileState[] | 'open' | 'done'> {
    switch (step) {
      case 'fetch':
        if (state && (await this.#fetch(path, state, digest))) this.say(`fetched ${path}`);
        return 'done';
      case 'remove':
        this.#files.remove(path);
        this.#forget(path);
        this.say(`removed ${path}`);
        return 'done';
      case 'send':
        return state && digest !== null ? this.#send(path, state, digest) : 'open';
      case 'conflict':
        return state && digest !== null ? this.#conflict(path, state, digest) : 'open';
      default:
        this.#sayOnce(path, `${path} ${words[step]}`);
        return 'open';
    }
  }

  async #fetch(path: string, { revision }: ProjectFileState, digest: string | null): Promise<boolean> {
    // Somebody may have saved the file since it was looked at.
    const isWritten = await this.#files.write(path, await this.#content(path), async () => (await this.#files.digest(path)) === digest);
    const now = await this.#files.digest(path);
    if (isWritten && now !== null) this.#remember(path, { revision, digest: now });
    return isWritten;
  }

  async #send(path: string, { revision }: ProjectFileState, digest: string): Promise<ProjectFileState[] | 'open'> {
    const attempt = `${revision} ${digest}`;
    if (this.#said.get(path)?.startsWith(attempt)) return 'open';
    try {
      const states = await ask(
        this.#address('/files/content', { path, from: revision }),
        { parse: (value) => z.array(ProjectFileStateSchema).parse(value) },
        { method: 'PUT', headers: { 'Content-Type': 'text/plain' }, body: await readFile(this.#files.path(path)) },
      );
      // What was taken in may be written in another way than it was sent, or under another name: the next look fetches it, or removes this file.
      this.#remember(path, { revision, digest });
      this.#settle(path);
      this.say(`sent ${path}`);
      return states;
    } catch (error) {
      if (!(error instanceof RefusedAnswer)) throw error;
      // Changed meanwhile: the next round sees a conflict.
      if (error.status !== 409) this.#sayOnce(path, `not sent ${path}. ${error.message}`, attempt);
      return 'open';
    }
  }

  async #conflict(path: string, state: ProjectFileState, digest: string): Promise<ProjectFileState[] | 'open'> {
    const copy = copyOf(path);
    const isDecided = this.#memory.copied[path] === state.revision && !this.#files.has(copy);
    // Whoever takes the copy away has decided for what stands here.
    if (isDecided) return this.#send(path, state, digest);
    if (this.#memory.copied[path] !== state.revision) {
      await this.#files.write(copy, await this.#content(path), () => Promise.resolve(true));
      this.#memory.copied[path] = state.revision;
      this.#keep();
      if ((await this.#files.digest(copy)) === digest) {
        this.#files.remove(copy);
        this.#remember(path, { revision: state.revision, digest });
        return 'open';
      }
    }
    this.#sayOnce(
      path,
      `conflict ${path}: changed here and in the product. What the product has is beside it, in ${copy}. Delete that file to keep yours, or put it in the place of yours.`,
      state.revision,
    );
    return 'open';
  }

  async #list(): Promise<ProjectFileState[]> {
    return ask(this.#address('/files'), { parse: (value) => z.array(ProjectFileStateSchema).parse(value) });
  }

  async #content(path: string): Promise<Readable> {
    const { body } = await answerOf(this.#address('/files/content', { path }));
    if (!body) throw new UsageError(`The server sent nothing of ${path}.`);
    return Readable.fromWeb(body as ReadableStream);
  }

  #address(operation: string, query: Record<string, string> = {}): string {
    const written = new URLSearchParams(query).toString();
    return `${this.server}/api/projects/${this.project}${operation}${written === '' ? '' : `?${written}`}`;
  }

  #sayOnce(path: string, line: string, about = ''): void {
    const said = `${about} ${line}`;
    if (this.#said.get(path) === said) return;
    this.#said.set(path, said);
    this.say(line);
  }

  /** A file is equal again: what was said of it may be said once more. */
  #settle(path: string): void {
    this.#said.delete(path);
    if (!(path in this.#memory.copied)) return;
    const { [path]: _settled, ...copied } = this.#memory.copied;
    this.#memory.copied = copied;
    this.#files.remove(copyOf(path));
    this.#keep();
  }

  get #memoryFile(): string {
    return join(this.folder, '.sturdy-watch.json');
  }

  #remembered(): Memory {
    const fresh: Memory = { server: this.server, project: this.project, files: {}, copied: {} };
    if (!existsSync(this.#memoryFile)) return fresh;
    const read = MemorySchema.safeParse(jsonOf(readFileSync(this.#memoryFile, 'utf8')));
    if (!read.success) throw new UsageError(`${this.#memoryFile} cannot be read. Delete it: what differs then is a conflict.`);
    if (read.data.project !== this.project)
      throw new UsageError(
        `${this.folder} is kept equal to another project (${read.data.project} of ${read.data.server}). Name another folder, or delete ${this.#memoryFile}.`,
      );
    return { ...read.data, server: this.server };
  }

  #remember(path: string, file: SyncedFile): void {
    this.#memory.files[path] = file;
    this.#changed();
  }

  #forget(path: string): void {
    if (!(path in this.#memory.files)) return;
    const { [path]: _gone, ...rest } = this.#memory.files;
    this.#memory.files = rest;
    this.#changed();
  }

  /** What is not kept yet is found out again: equal files are known as such by their texts. */
  #changed(): void {
    if (++this.#changes >= changesAtATime) this.#keep();
  }

  #keep(): void {
    this.#changes = 0;
    // Under another name until it is whole: half a memory would make conflicts of everything.
    writeFileSync(`${this.#memoryFile}.new`, JSON.stringify(this.#memory), { mode: 0o600 });
    renameSync(`${this.#memoryFile}.new`, this.#memoryFile);
  }
}

function jsonOf(text: string): unknown {
  try {
    return JSON.parse(text);
  } catch {
    return null;
  }
}
