import { brotliDecompressSync, constants, gunzipSync, inflateRawSync, inflateSync } from 'node:zlib';
import { decompress } from 'fzstd';

/** A body without its content encodings. `failure` says why it could not be decoded; the bytes are then as they came. */
export interface DecodedBody {
  bytes: Uint8Array;
  failure: string | null;
}

/** A bomb of a few kilobytes may unpack to gigabytes; more than this is not unpacked. */
const largestBytes = 256 << 20;

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
      return decompress(bytes);
    default:
      return bytes;
  }
}
