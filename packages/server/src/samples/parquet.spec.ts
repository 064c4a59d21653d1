import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { SampleBook, type Sample } from '@sturdy/core';
import { asyncBufferFromFile, parquetMetadataAsync, parquetReadObjects } from 'hyparquet';
import { readParquet, writeParquet } from './parquet.js';
import { readSamples, SampleFiles } from './sample-files.js';

const noProblem = (problem: string): void => {
  throw new Error(problem);
};
let folder: string;
beforeEach(() => (folder = mkdtempSync(join(tmpdir(), 'sturdy-parquet-'))));
afterEach(() => {
  rmSync(folder, { recursive: true, force: true });
});

const sample = (n: number): Sample => ({
  crew: n % 2 === 0 ? 'Clerks' : 'Gäste',
  transaction: `T${n % 3}`,
  step: n % 5 === 0 ? '' : `s${n % 4}`,
  atMs: n * 1.1,
  durationMs: n / 8,
  firstByteMs: n / 16,
  bytesIn: n === 7 ? 4_000_000_000 : n,
  bytesOut: n * 2,
  user: n % 9,
  iteration: n,
  status: n % 10 === 0 ? null : 200,
  failure: n % 10 === 0 ? 'connection-refused' : n % 11 === 0 ? 'status-unexpected:503' : null,
});
const count = 700;

async function written(): Promise<SampleFiles> {
  const files = new SampleFiles(folder);
  for (let from = 0; from < count; from += 70) {
    const book = new SampleBook();
    for (let n = from; n < from + 70; n++) book.add(sample(n));
    const batch = book.take();
    if (batch) files.keep('r', batch, noProblem);
  }
  await files.end('r');
  return files;
}

describe('samples as Apache Parquet', () => {
  // The reader is a library that did not write the file; outside these tests DuckDB read one, see docs/projects.md.
  it('are read by other programs: a row for each request, times in ms, nothing in the place of what there was not', async () => {
    const files = await written();
    const path = join(folder, 'samples.parquet');
    expect(await writeParquet(files.path('r'), path)).toBe(true);
    const file = await asyncBufferFromFile(path);
    const rows = await parquetReadObjects({ file });
    expect(rows).toHaveLength(count);
    expect(rows[7]).toEqual({
      at_ms: 7.7,
      duration_ms: 0.875,
      first_byte_ms: 0.438,
      bytes_in: 4_000_000_000,
      bytes_out: 14,
      user: 7,
      iteration: 7,
      status: 200,
      crew: 'Gäste',
      transaction: 'T1',
      step: 's3',
      failure: null,
    });
    expect(rows[10]).toMatchObject({ status: null, failure: 'connection-refused' });
    const { key_value_metadata: said } = await parquetMetadataAsync(file);
    expect(said).toEqual(
      expect.arrayContaining([
        { key: 'measured', value: '700' },
        { key: 'keepEvery', value: '1' },
      ]),
    );
  });

  it('come back as the same samples', async () => {
    const files = await written();
    const path = join(folder, 'samples.parquet');
    await writeParquet(files.path('r'), path);
    await readParquet(path, files.path('back'));
    const [before, after] = [await readSamples(files.path('r')), await readSamples(files.path('back'))];
    expect(after?.kept).toEqual(before?.kept);
    for (let at = 0; at < count; at++) expect(after?.table.at(at)).toEqual(before?.table.at(at));
  });

  it('are none where none were kept, and no other file is taken for them', async () => {
    expect(await writeParquet(join(folder, 'never.samples'), join(folder, 'x.parquet'))).toBe(false);
    writeFileSync(join(folder, 'bad.parquet'), 'no Parquet at all');
    await expect(readParquet(join(folder, 'bad.parquet'), join(folder, 'y.samples'))).rejects.toThrow();
  });
});
