import { PassThrough, Readable, type Writable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import { pathProblem } from '@sturdy/core';
import { openPromise, type Entry } from 'yauzl';
import { ZipFile } from 'yazl';
import { Problem } from '../problem/problem.js';
import type { OutgoingFile, ProjectSource } from './project-source.js';

/** Files of a project at the most, and their bytes unpacked: what is more was not made by an export. */
const mostFiles = 200_000;
const mostUnpackedBytes = 64 * 2 ** 30;

/** Writes files as a zip; each is read when it is its turn, and no faster than the zip is taken. Rejects where a file cannot be read or nobody takes the zip. */
export async function writeProjectZip(files: readonly OutgoingFile[], to: Writable): Promise<void> {
  const zip = new ZipFile();
  let failed: (error: Error) => void = () => undefined;
  const failure = new Promise<never>((_, reject) => (failed = reject));
  for (const { path, pieces } of files)
    zip.addReadStreamLazy(path, { mode: 0o600 }, (begin) => {
      const stream = Readable.from(pieces(), { objectMode: false });
      stream.on('error', failed);
      begin(null, stream);
    });
  zip.end();
  await Promise.race([pipeline(zip.outputStream, to), failure]);
}

/** The files of a zip. Throws a problem where it is no zip, or holds what no project holds. `close` lets go of it. */
export async function openProjectZip(path: string): Promise<ProjectSource & { close: () => void }> {
  const notZip = (error: unknown): Problem =>
    new Problem(
      422,
      'Not a project',
      `The file cannot be read as a zip: ${error instanceof Error ? error.message : String(error)} Export the project again, and import that file.`,
    );
  const zip = await openPromise(path, { lazyEntries: true, autoClose: false, strictFileNames: true }).catch((error: unknown) => {
    throw notZip(error);
  });
  const entries = new Map<string, Entry>();
  try {
    let bytes = 0;
    await new Promise<void>((done, failed) => {
      zip.on('entry', (entry: Entry) => {
        bytes += entry.uncompressedSize;
        const problem = entry.fileName.endsWith('/') ? null : pathProblem(entry.fileName);
        if (problem !== null) failed(new Error(problem));
        else if (entries.size >= mostFiles || bytes > mostUnpackedBytes) failed(new Error('It holds more than any project.'));
        else {
          if (!entry.fileName.endsWith('/')) entries.set(entry.fileName, entry);
          zip.readEntry();
        }
      });
      zip.on('end', done);
      zip.on('error', failed);
      zip.readEntry();
    });
  } catch (error) {
    zip.close();
    throw notZip(error);
  }
  // A folder may have been packed with its own name around all files.
  const root = entries.has('project.yaml')
    ? ''
    : ([...entries.keys()].find((name) => /^[^/]+\/project\.yaml$/.test(name)) ?? '').replace('project.yaml', '');
  return {
    paths: [...entries.keys()].filter((name) => name.startsWith(root)).map((name) => name.slice(root.length)),
    open: async (name) => {
      const entry = entries.get(root + name);
      if (!entry) throw new Error(`There is no file ${name} in the project.`);
      return new Promise((done, failed) => {
        zip.openReadStream(entry, (error, stream) => {
          if (error) failed(notZip(error));
          // Whoever reads hears what is wrong with the file, and not with the library that reads it.
          else {
            const read = new PassThrough();
            stream.on('error', (broken: Error) => {
              read.destroy(notZip(broken));
            });
            read.on('close', () => {
              stream.destroy();
            });
            done(stream.pipe(read));
          }
        });
      });
    },
    close: () => {
      zip.close();
    },
  };
}
