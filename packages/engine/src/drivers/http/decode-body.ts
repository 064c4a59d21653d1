import { brotliDecompressSync, constants, gunzipSync, inflateRawSync, inflateSync } from 'node:zlib';
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
/** Compressed bytes that are decoded before what came of them is counted. */
const pieceBytes = 16 << 10;

/**
 * Undoes the content encodings of a body: gzip, deflate (RFC 9110, 8.4.1), br (RFC 7932) and zstd (RFC 8878), in the reverse of
 * the order in which they are listed. What was cut off is decoded as far as it goes where `partial` is true.
 */
export function decodeBody(bytes: Uint8Array, encoding: string | undefined, partial = false): DecodedBody {
  let decoded = bytes;
  for (const one of (encoding ?? '').toLowerCase().split(',').reverse()) {
    try {
      decoded = decodeOne(decoded, one.trim(), partial);
    } catch (error) {
      return { bytes, failure: `The body could not be decoded: ${error instanceof Error ? error.message : 'unknown reason'}.` };
    }
  }
  return { bytes: decoded, failure: null };
}

function decodeOne(bytes: Uint8Array, encoding: string, partial: boolean): Uint8Array {
  if (bytes.length === 0) return bytes;
  const options = { maxOutputLength: largestBytes, ...(partial ? { finishFlush: constants.Z_SYNC_FLUSH } : {}) };
  switch (encoding) {
    case 'gzip':
    case 'x-gzip':
      return gunzipSync(bytes, options);
    case 'br':
      return brotliDecompressSync(bytes, {
        maxOutputLength: largestBytes,
        ...(partial ? { finishFlush: constants.BROTLI_OPERATION_FLUSH } : {}),
      });
    case 'deflate':
      // Some servers send bare deflate data under this name instead of the zlib format.
      return ((bytes[0] ?? 0) & 0x0f) === 8 ? inflateSync(bytes, options) : inflateRawSync(bytes, options);
    case 'zstd':
      return unpackZstd(bytes);
    default:
      return bytes;
  }
}

/** Decodes zstd piece by piece, so that it ends at the limit and not at what the frame says of itself. */
function unpackZstd(bytes: Uint8Array): Uint8Array {
  if (zstdWindow(bytes) > largestWindow) throw new Error('its zstd frame wants a window of more than 8 MB (RFC 9659)');
  const pieces: Uint8Array[] = [];
  let total = 0;
  const decoder = new Decompress((piece) => {
    total += piece.length;
    if (total > largestBytes) throw new RangeError(`it unpacks to more than ${largestBytes >> 20} MB`);
    pieces.push(piece.slice());
  });
  for (let at = 0; at < bytes.length; at += pieceBytes) decoder.push(bytes.subarray(at, at + pieceBytes), at + pieceBytes >= bytes.length);
  return Buffer.concat(pieces);
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
