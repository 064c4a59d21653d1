import type { Readable } from 'node:stream';
import { Refusal } from '@sturdy/core';
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

/** The lines of a text, one after another. Rejects where the stream fails: readline would not hear of it. */
export async function* linesOf(stream: Readable): AsyncGenerator<string> {
  const decoder = new TextDecoder();
  let rest = '';
  for await (const piece of stream) {
    const lines = (rest + decoder.decode(piece as Buffer, { stream: true })).split('\n');
    rest = lines.pop() ?? '';
    yield* lines;
  }
  if (rest !== '') yield rest;
}

/** The whole text of a file. Throws a refusal where it is larger than `mostBytes`. */
export async function textOf(source: ProjectSource, path: string, mostBytes = 256 << 20): Promise<string> {
  const stream = await source.open(path);
  let bytes = 0;
  stream.on('data', (piece: Buffer) => {
    bytes += piece.length;
    if (bytes > mostBytes) stream.destroy(new Refusal(`${path} is larger than ${mostBytes >> 20} MB, which no file of its kind is.`));
  });
  return text(stream);
}
