import { setImmediate } from 'node:timers/promises';
import { promisify } from 'node:util';
import {
  brotliDecompress,
  brotliDecompressSync,
  constants,
  gunzip,
  gunzipSync,
  inflate,
  inflateRaw,
  inflateRawSync,
  inflateSync,
  type BrotliOptions,
  type ZlibOptions,
} from 'node:zlib';
import { Decompress } from 'fzstd';

/** A body without its content encodings. `failure` says why it could not be decoded; the bytes are then as they came. */
export interface DecodedBody {
  bytes: Uint8Array;
  failure: string | null;
}

/** A bomb of a few kilobytes may unpack to gigabytes; more than this is not unpacked. */
const largestBytes = 64 << 20;
/** A content coding of zstd looks back no further than this (RFC 9659, 3); a frame that wants more would take that much memory at once. */
const largestWindow = 8 << 20;
/** Compressed bytes of zstd that are decoded before what came of them is counted, and others have their turn. */
const pieceBytes = 1 << 10;

/** Compressed bytes that may be decoded at once, and what may come of them: some milliseconds. */
const smallBytes = 128 << 10;
const smallOutput = 1 << 20;

/** Each decoder with its limit of bytes that come out; it throws where there would be more. */
type Unpack<T> = (bytes: Uint8Array, encoding: string, partial: boolean, most: number) => T;

/** The encodings of a body in the order in which they are undone. */
const encodingsOf = (encoding: string | undefined): string[] =>
  (encoding ?? '')
    .toLowerCase()
    .split(',')
    .map((encoding) => encoding.trim())
    .filter((encoding) => known.has(encoding))
    .reverse();
const known = new Set(['gzip', 'x-gzip', 'br', 'deflate', 'zstd']);

const failed = (bytes: Uint8Array, error: unknown): DecodedBody => ({
  bytes,
  failure: `The body could not be decoded: ${error instanceof Error ? error.message : 'unknown reason'}.`,
});

/** True where a decoder stopped at its limit. */
const isTooMuch = (error: unknown): boolean => (error as NodeJS.ErrnoException | null)?.code === 'ERR_BUFFER_TOO_LARGE';

/**
 * Undoes the content encodings of a body: gzip, deflate (RFC 9110, 8.4.1), br (RFC 7932) and zstd (RFC 8878), in the reverse of
 * the order in which they are listed. What was cut off is decoded as far as it goes where `partial` is true. A small body comes at once; a larger
 * one later, so that nobody else waits for it.
 */
export function decodeBody(bytes: Uint8Array, encoding: string | undefined, partial = false): DecodedBody | Promise<DecodedBody> {
  const encodings = encodingsOf(encoding);
  if (encodings.length === 0 || bytes.length === 0) return { bytes, failure: null };
  if (bytes.length > smallBytes) return decodeLater(bytes, encodings, partial);
  try {
    let decoded = bytes;
    for (const encoding of encodings) decoded = unpackAtOnce(decoded, encoding, partial, smallOutput);
    return { bytes: decoded, failure: null };
  } catch (error) {
    return isTooMuch(error) ? decodeLater(bytes, encodings, partial) : failed(bytes, error);
  }
}

async function decodeLater(bytes: Uint8Array, encodings: readonly string[], partial: boolean): Promise<DecodedBody> {
  try {
    let decoded = bytes;
    for (const encoding of encodings) decoded = await unpackLater(decoded, encoding, partial, largestBytes);
    return { bytes: decoded, failure: null };
  } catch (error) {
    return failed(bytes, error);
  }
}

/** Some servers send bare deflate data under the name of the zlib format. */
const isZlib = (bytes: Uint8Array): boolean => ((bytes[0] ?? 0) & 0x0f) === 8;
const zlibOptions = (partial: boolean, most: number) => ({
  maxOutputLength: most,
  ...(partial ? { finishFlush: constants.Z_SYNC_FLUSH } : {}),
});
const brotliOptions = (partial: boolean, most: number) => ({
  maxOutputLength: most,
  ...(partial ? { finishFlush: constants.BROTLI_OPERATION_FLUSH } : {}),
});

const unpackAtOnce: Unpack<Uint8Array> = (bytes, encoding, partial, most) => {
  if (encoding === 'br') return brotliDecompressSync(bytes, brotliOptions(partial, most));
  if (encoding === 'deflate') return (isZlib(bytes) ? inflateSync : inflateRawSync)(bytes, zlibOptions(partial, most));
  if (encoding !== 'zstd') return gunzipSync(bytes, zlibOptions(partial, most));
  const zstd = new ZstdReader(bytes, most);
  while (!zstd.isDone) zstd.step();
  return zstd.result();
};

const [gunzipLater, inflateLater, inflateRawLater, brotliLater] = [
  promisify(gunzip) as (bytes: Uint8Array, options: ZlibOptions) => Promise<Buffer>,
  promisify(inflate) as (bytes: Uint8Array, options: ZlibOptions) => Promise<Buffer>,
  promisify(inflateRaw) as (bytes: Uint8Array, options: ZlibOptions) => Promise<Buffer>,
  promisify(brotliDecompress) as (bytes: Uint8Array, options: BrotliOptions) => Promise<Buffer>,
];

/** On the threads of Node.js, but for zstd, which is read step by step between other work. */
const unpackLater: Unpack<Promise<Uint8Array>> = async (bytes, encoding, partial, most) => {
  if (encoding === 'br') return brotliLater(bytes, brotliOptions(partial, most));
  if (encoding === 'deflate') return (isZlib(bytes) ? inflateLater : inflateRawLater)(bytes, zlibOptions(partial, most));
  if (encoding !== 'zstd') return gunzipLater(bytes, zlibOptions(partial, most));
  const zstd = new ZstdReader(bytes, most);
  while (!zstd.isDone) {
    zstd.step();
    await setImmediate();
  }
  return zstd.result();
};

/** Reads zstd step by step, so that it ends at the limit and not at what the frame says of itself. */
class ZstdReader {
  readonly #pieces: Uint8Array[] = [];
  readonly #decoder: Decompress;
  #total = 0;
  #at = 0;

  constructor(
    readonly bytes: Uint8Array,
    readonly most: number,
  ) {
    if (zstdWindow(bytes) > largestWindow) throw new Error('its zstd frame wants a window of more than 8 MB (RFC 9659)');
    this.#decoder = new Decompress((piece) => {
      this.#total += piece.length;
      if (this.#total > most)
        throw Object.assign(new RangeError(`it unpacks to more than ${Math.round(most / (1 << 20))} MB`), { code: 'ERR_BUFFER_TOO_LARGE' });
      this.#pieces.push(piece.slice());
    });
  }

  get isDone(): boolean {
    return this.#at >= this.bytes.length;
  }

  step(): void {
    const to = this.#at + pieceBytes;
    this.#decoder.push(this.bytes.subarray(this.#at, to), to >= this.bytes.length);
    this.#at = to;
  }

  result(): Uint8Array {
    return Buffer.concat(this.#pieces);
  }
}

const zstdMagic = 0xfd2fb528;

/** The window that the first frame asks for, in bytes (RFC 8878, 3.1.1.1); 0 where the bytes begin with no frame. */
function zstdWindow(bytes: Uint8Array): number {
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  if (bytes.length < 6 || view.getUint32(0, true) !== zstdMagic) return 0;
  const descriptor = view.getUint8(4);
  const isSingleSegment = (descriptor & 0x20) !== 0;
  if (!isSingleSegment) {
    const [exponent, mantissa] = [view.getUint8(5) >> 3, view.getUint8(5) & 7];
    const base = 2 ** (10 + exponent);
    return base + (base / 8) * mantissa;
  }
  const from = 5 + ([0, 1, 2, 4][descriptor & 3] ?? 0);
  const size = [1, 2, 4, 8][descriptor >> 6] ?? 1;
  if (bytes.length < from + size) return 0;
  if (size === 1) return view.getUint8(from);
  if (size === 2) return view.getUint16(from, true) + 256;
  return size === 4 ? view.getUint32(from, true) : Number(view.getBigUint64(from, true));
}
