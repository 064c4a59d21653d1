import type { Readable } from 'node:stream';
import { text } from 'node:stream/consumers';

/** One file of a project on its way out. Each of its pieces is made when it is asked for. */
export interface OutgoingFile {
  /** Path within the project, with forward slashes. */
  path: string;
  pieces: () => AsyncIterable<string | Uint8Array>;
}

/** The files of a project on its way in, wherever they lie. */
export interface ProjectSource {
  /** Paths within the project, with forward slashes, in no order. */
  paths: readonly string[];
  open: (path: string) => Promise<Readable>;
}

/** The whole text of a file. Throws a sentence where it is larger than `mostBytes`. */
export async function textOf(source: ProjectSource, path: string, mostBytes = 256 << 20): Promise<string> {
  const stream = await source.open(path);
  let bytes = 0;
  stream.on('data', (piece: Buffer) => {
    bytes += piece.length;
    if (bytes > mostBytes) stream.destroy(new Error(`${path} is larger than ${mostBytes >> 20} MB, which no file of its kind is.`));
  });
  return text(stream);
}
