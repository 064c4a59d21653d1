import { randomBytes } from 'node:crypto';
import { brotliCompressSync, deflateRawSync, deflateSync, gzipSync } from 'node:zlib';
import { decodeBody } from './decode-body.js';

const plain = Buffer.from('Peas, beans and carrots. '.repeat(2000));

/**
 * A zstd frame of blocks that say one byte so many times (RFC 8878, 3.1.1.2.2), each of the largest size: 4 bytes become 128 kB. `window` is the
 * window descriptor (3.1.1.1.2).
 */
function zstdOfRuns(blocks: number, window = 0x68): Buffer {
  const frame = Buffer.alloc(6 + 4 * blocks);
  frame.writeUInt32LE(0xfd2fb528, 0);
  frame[5] = window;
  for (let block = 0; block < blocks; block++) {
    const at = 6 + 4 * block;
    frame.writeUIntLE((131_072 << 3) | (1 << 1) | (block === blocks - 1 ? 1 : 0), at, 3);
    frame[at + 3] = 0x61;
  }
  return frame;
}

describe('a body without its content encodings', () => {
  it.each([
    ['gzip', gzipSync(plain)],
    ['deflate', deflateSync(plain)],
    ['deflate', deflateRawSync(plain)],
    ['br', brotliCompressSync(plain)],
    ['gzip, br', brotliCompressSync(gzipSync(plain))],
    [undefined, plain],
  ])('is what was sent: %s', async (encoding, bytes) => {
    const { bytes: decoded, failure } = await decodeBody(bytes, encoding);
    expect(failure).toBeNull();
    expect(Buffer.from(decoded).equals(plain)).toBe(true);
  });

  it('of zstd too (RFC 8878), up to the limit', async () => {
    const { bytes, failure } = await decodeBody(zstdOfRuns(3), 'zstd');
    expect([failure, bytes.length, bytes[393_215]]).toEqual([null, 3 * 131_072, 0x61]);
  });

  it.each([
    ['gzip', gzipSync(Buffer.alloc(80 << 20))],
    ['br', brotliCompressSync(Buffer.alloc(80 << 20))],
    ['zstd', zstdOfRuns(32_000)],
  ])('is given up where it would unpack to more than is taken: %s', async (encoding, bomb) => {
    expect(bomb.length).toBeLessThan(140_000);
    const before = process.memoryUsage().arrayBuffers;
    const { bytes, failure } = await decodeBody(bomb, encoding);
    expect(failure).toMatch(/could not be decoded/);
    expect(bytes).toBe(bomb);
    expect(process.memoryUsage().arrayBuffers - before).toBeLessThan(200 << 20);
  });

  it.each([
    ['a window of 4 GB', zstdOfRuns(1, 22 << 3)],
    // Frame Content Size of eight bytes, single segment (3.1.1.1.1): the whole content is the window.
    [
      '13 GB in one segment',
      Buffer.concat([Buffer.from([0x28, 0xb5, 0x2f, 0xfd, 0xe0, 0, 0, 0, 0x40, 3, 0, 0, 0]), Buffer.from([3, 0, 0x10, 0x61])]),
    ],
  ])('is not begun where a zstd frame asks for %s (RFC 9659: 8 MB)', async (_, frame) => {
    expect((await decodeBody(frame, 'zstd')).failure).toMatch(/window of more than 8 MB/);
  });

  it('says what is wrong with what is none, and keeps the bytes', async () => {
    for (const encoding of ['gzip', 'br', 'deflate', 'zstd']) expect(decodeBody(plain, encoding)).toMatchObject({ bytes: plain });
    expect((await decodeBody(plain, 'gzip')).failure).toMatch(/^The body could not be decoded: /);
  });

  it.each([
    ['gzip', gzipSync],
    ['br', brotliCompressSync],
    ['deflate', deflateSync],
  ])('comes at once where it is small, and later where it is not, so that nobody waits for it: %s', async (encoding, pack) => {
    expect(decodeBody(pack(plain), encoding)).not.toBeInstanceOf(Promise);
    // Little that becomes much, and much that stays so.
    const noise = randomBytes(300_000);
    for (const large of [Buffer.alloc(4 << 20, 'peas '), noise]) {
      const decoding = decodeBody(pack(large), encoding);
      expect(decoding).toBeInstanceOf(Promise);
      expect((await decoding).failure).toBeNull();
      expect(large.equals((await decoding).bytes)).toBe(true);
    }
  });

  it('lets others have their turn while a long one of zstd is read', async () => {
    let turns = 0;
    const others = setInterval(() => turns++, 0);
    const { bytes } = await decodeBody(zstdOfRuns(300), 'zstd');
    const early = await decodeBody(zstdOfRuns(480), 'zstd');
    clearInterval(others);
    expect([bytes.length, early.bytes.length]).toEqual([300 * 131_072, 480 * 131_072]);
    expect(turns).toBeGreaterThan(0);
  });
});
