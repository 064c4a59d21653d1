import { existsSync } from 'node:fs';
import { open, type FileHandle } from 'node:fs/promises';
import { bytesOfSample, columnBytes, readColumns, type SampleBatch, type SampleColumns } from '@sturdy/core';

/** What stands before the columns of a batch in a file. */
export interface BatchHead extends Pick<SampleBatch, 'version' | 'count' | 'names' | 'kinds'> {
  /** Samples measured up to and with this batch, and how thinly they are kept from here on. */
  measured: number;
  keepEvery: number;
}

/** A batch as it stands in a file: the length of its head (4 bytes, little-endian), its head as JSON, and its columns. */
export function batchBytes(head: BatchHead, columns: SampleColumns): Buffer {
  const text = Buffer.from(JSON.stringify(head));
  const length = Buffer.alloc(4);
  length.writeUInt32LE(text.length);
  return Buffer.concat([length, text, columnBytes(columns, head.count)]);
}

/** Where a batch stands in a file of samples. */
export interface BatchPlace {
  head: BatchHead;
  from: number;
}

/** All batches of a file of samples; none where there is no such file. One that a crash cut off is left out. */
export async function batchPlaces(path: string): Promise<BatchPlace[]> {
  if (!existsSync(path)) return [];
  const file = await open(path);
  try {
    const { size } = await file.stat();
    const places: BatchPlace[] = [];
    for (let at = 0; at + 4 <= size;) {
      const textBytes = (await bytesAt(file, at, 4)).readUInt32LE(0);
      const from = at + 4 + textBytes;
      if (from > size) break;
      const head = JSON.parse((await bytesAt(file, at + 4, textBytes)).toString('utf8')) as BatchHead;
      at = from + head.count * bytesOfSample;
      if (at > size) break;
      places.push({ head, from });
    }
    return places;
  } finally {
    await file.close();
  }
}

/** The columns of batches, one after another. */
export async function* batchColumns(
  path: string,
  places: readonly BatchPlace[],
): AsyncGenerator<{ head: BatchHead; columns: SampleColumns }> {
  if (places.length === 0) return;
  const file = await open(path);
  try {
    for (const { head, from } of places)
      yield { head, columns: readColumns(await bytesAt(file, from, head.count * bytesOfSample), head.count) };
  } finally {
    await file.close();
  }
}

async function bytesAt(file: FileHandle, position: number, length: number): Promise<Buffer> {
  const bytes = Buffer.alloc(length);
  for (let at = 0; at < length;) {
    const { bytesRead } = await file.read(bytes, at, length - at, position + at);
    if (bytesRead === 0) throw new Error(`The file ends ${length - at} bytes too early.`);
    at += bytesRead;
  }
  return bytes;
}
