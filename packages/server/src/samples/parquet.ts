import { open } from 'node:fs/promises';
import { staysOf, type SampleColumns, type SampleName } from '@sturdy/core';
import { asyncBufferFromFile, parquetMetadataAsync, parquetRead, type SchemaElement } from 'hyparquet';
import { fileWriter, ParquetWriter } from 'hyparquet-writer';
import { batchBytes, batchColumns, batchPlaces, type BatchHead } from './sample-batches.js';

/** Samples in one group of rows: a file is a few per cent larger than with groups of 100,000, and writing it takes a third less memory. */
const rowsInGroup = 25_000;

/** The columns of the file, in order: numbers as they are read, times in ms. */
const numberColumns = ['at_ms', 'duration_ms', 'first_byte_ms', 'bytes_in', 'bytes_out', 'user', 'iteration', 'status'] as const;
const textColumns = ['crew', 'transaction', 'step', 'failure'] as const;
/** A status of null is that of an answer without one, a failure of null that of a good one. */
const optional: readonly string[] = ['status', 'failure'];

const schema: SchemaElement[] = [
  { name: 'samples', num_children: numberColumns.length + textColumns.length },
  ...numberColumns.map((name): SchemaElement => ({
    name,
    type: 'DOUBLE',
    repetition_type: optional.includes(name) ? 'OPTIONAL' : 'REQUIRED',
  })),
  ...textColumns.map((name): SchemaElement => ({
    name,
    type: 'BYTE_ARRAY',
    converted_type: 'UTF8',
    repetition_type: optional.includes(name) ? 'OPTIONAL' : 'REQUIRED',
  })),
];

interface Rows {
  numbers: Record<(typeof numberColumns)[number], (number | null)[]>;
  texts: Record<(typeof textColumns)[number], (string | null)[]>;
}
const noRows = (): Rows => ({
  numbers: Object.fromEntries(numberColumns.map((name) => [name, []])) as unknown as Rows['numbers'],
  texts: Object.fromEntries(textColumns.map((name) => [name, []])) as unknown as Rows['texts'],
});

/**
 * Writes the samples of a run as Apache Parquet, a group of rows after the other; says whether there were any. How many were measured, and how thinly they
 * are kept, stands in the metadata of the file.
 */
export async function writeParquet(samplesPath: string, parquetPath: string): Promise<boolean> {
  const places = await batchPlaces(samplesPath);
  const last = places.at(-1)?.head;
  if (!last) return false;
  const writer = new ParquetWriter({
    writer: fileWriter(parquetPath),
    schema,
    kvMetadata: [
      { key: 'measured', value: String(last.measured) },
      { key: 'keepEvery', value: String(last.keepEvery) },
    ],
    createdBy: 'Sturdy Puppet',
  });
  let rows = noRows();
  const flush = async (): Promise<void> => {
    await writer.write({
      columnData: [
        ...numberColumns.map((name) => ({ name, data: rows.numbers[name] })),
        ...textColumns.map((name) => ({ name, data: rows.texts[name] })),
      ],
      rowGroupSize: rowsInGroup,
    });
    rows = noRows();
  };
  for await (const { head, columns } of batchColumns(samplesPath, places)) {
    addRows(rows, head, columns, head.keepEvery < last.keepEvery ? last.keepEvery : 1);
    if (rows.numbers.at_ms.length >= rowsInGroup) await flush();
  }
  if (rows.numbers.at_ms.length > 0) await flush();
  await writer.finish();
  return true;
}

function addRows({ numbers, texts }: Rows, { count, names, kinds }: BatchHead, columns: SampleColumns, keepEvery: number): void {
  for (let at = 0; at < count; at++) {
    const [user, iteration] = [columns.user[at] ?? 0, columns.iteration[at] ?? 0];
    if (!staysOf(keepEvery, user, iteration)) continue;
    const name = names[columns.name[at] ?? 0];
    numbers.at_ms.push((columns.at[at] ?? 0) / 10);
    numbers.duration_ms.push((columns.durationMicros[at] ?? 0) / 1000);
    numbers.first_byte_ms.push((columns.firstByteMicros[at] ?? 0) / 1000);
    numbers.bytes_in.push(columns.bytesIn[at] ?? 0);
    numbers.bytes_out.push(columns.bytesOut[at] ?? 0);
    numbers.user.push(user);
    numbers.iteration.push(iteration);
    numbers.status.push((columns.status[at] ?? 0) || null);
    texts.crew.push(name?.crew ?? '');
    texts.transaction.push(name?.transaction ?? '');
    texts.step.push(name?.step ?? '');
    texts.failure.push(kinds[(columns.kind[at] ?? 0) - 1] ?? null);
  }
}

/** Reads what `writeParquet` wrote into a file of samples. Throws where it is no such file. */
export async function readParquet(parquetPath: string, samplesPath: string): Promise<void> {
  const file = await asyncBufferFromFile(parquetPath);
  const metadata = await parquetMetadataAsync(file);
  const said = new Map((metadata.key_value_metadata ?? []).map(({ key, value }) => [key, value]));
  const count = Number(metadata.num_rows);
  const measured = Number(said.get('measured') ?? count);
  const keepEvery = Number(said.get('keepEvery') ?? 1);
  if (!Number.isInteger(measured) || measured < count || !Number.isInteger(keepEvery) || keepEvery < 1)
    throw new Error('Its metadata does not say how many samples were measured.');
  const samples = await open(samplesPath, 'w', 0o600);
  try {
    for (let from = 0; from < count; from += rowsInGroup) {
      const to = Math.min(count, from + rowsInGroup);
      const read = new Map<string, ArrayLike<unknown>>();
      await parquetRead({
        file,
        metadata,
        columns: [...numberColumns, ...textColumns],
        rowStart: from,
        rowEnd: to,
        onChunk: ({ columnName, columnData, rowStart }) => {
          const whole = (read.get(columnName) ?? new Array<unknown>(to - from)) as unknown[];
          for (let at = 0; at < columnData.length; at++) {
            const place = rowStart + at - from;
            if (place >= 0 && place < to - from) whole[place] = columnData[at];
          }
          read.set(columnName, whole);
        },
      });
      await samples.write(batchOf(read, to - from, { measured, keepEvery }));
    }
  } finally {
    await samples.close();
  }
}

/** Rows as a batch of a file of samples. */
function batchOf(read: ReadonlyMap<string, ArrayLike<unknown>>, count: number, kept: Pick<BatchHead, 'measured' | 'keepEvery'>): Buffer {
  const number = (column: (typeof numberColumns)[number], at: number): number => Number(read.get(column)?.[at] ?? 0);
  const text = (column: (typeof textColumns)[number], at: number): string => {
    const value = read.get(column)?.[at];
    return typeof value === 'string' ? value : '';
  };
  const whole = (column: (typeof numberColumns)[number], factor = 1): Uint32Array =>
    Uint32Array.from({ length: count }, (_, at) => Math.round(number(column, at) * factor));
  const names: SampleName[] = [];
  const placeOfName = new Map<string, number>();
  const name = new Uint16Array(count);
  const kinds: string[] = [];
  const kind = new Uint16Array(count);
  for (let at = 0; at < count; at++) {
    const of: SampleName = { crew: text('crew', at), transaction: text('transaction', at), step: text('step', at) };
    const key = JSON.stringify(of);
    let place = placeOfName.get(key);
    if (place === undefined) {
      place = names.push(of) - 1;
      placeOfName.set(key, place);
    }
    name[at] = place;
    const failure = text('failure', at);
    if (failure === '') continue;
    const known = kinds.indexOf(failure);
    kind[at] = known >= 0 ? known + 1 : kinds.push(failure);
  }
  return batchBytes(
    { version: 1, count, names, kinds, ...kept },
    {
      at: whole('at_ms', 10),
      durationMicros: whole('duration_ms', 1000),
      firstByteMicros: whole('first_byte_ms', 1000),
      bytesIn: whole('bytes_in'),
      bytesOut: whole('bytes_out'),
      user: whole('user'),
      iteration: whole('iteration'),
      name,
      kind,
      status: Uint16Array.from(whole('status')),
    },
  );
}
