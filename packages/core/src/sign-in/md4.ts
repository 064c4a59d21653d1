const rotate = (value: number, by: number): number => (value << by) | (value >>> (32 - by));

/** Which word of the block a step reads, and how far it rotates, for the three rounds (RFC 1320, 3.4). */
const rounds = [
  { words: [0, 1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11, 12, 13, 14, 15], turns: [3, 7, 11, 19], add: 0 },
  { words: [0, 4, 8, 12, 1, 5, 9, 13, 2, 6, 10, 14, 3, 7, 11, 15], turns: [3, 5, 9, 13], add: 0x5a827999 },
  { words: [0, 8, 4, 12, 2, 10, 6, 14, 1, 9, 5, 13, 3, 11, 7, 15], turns: [3, 9, 11, 15], add: 0x6ed9eba1 },
] as const;

const mix = [
  (x: number, y: number, z: number) => (x & y) | (~x & z),
  (x: number, y: number, z: number) => (x & y) | (x & z) | (y & z),
  (x: number, y: number, z: number) => x ^ y ^ z,
] as const;

/** MD4 digest (RFC 1320), 16 bytes. Broken as a hash; the sign-in method of [MS-NLMP] still asks for it. */
export function md4(message: Uint8Array): Uint8Array {
  const padded = new Uint8Array((((message.length + 8) >> 6) + 1) << 6);
  padded.set(message);
  padded[message.length] = 0x80;
  const view = new DataView(padded.buffer);
  view.setBigUint64(padded.length - 8, BigInt(message.length) * 8n, true);
  const state = [0x67452301, 0xefcdab89 | 0, 0x98badcfe | 0, 0x10325476];
  for (let block = 0; block < padded.length; block += 64) {
    let [a = 0, b = 0, c = 0, d = 0] = state;
    rounds.forEach(({ words, turns, add }, round) => {
      words.forEach((word, step) => {
        const mixed = (mix[round] ?? mix[0])(b, c, d);
        const next = rotate((a + mixed + view.getUint32(block + 4 * word, true) + add) | 0, turns[step % 4] ?? 0);
        [a, b, c, d] = [d, next, b, c];
      });
    });
    [a, b, c, d].forEach((value, at) => (state[at] = ((state[at] ?? 0) + value) | 0));
  }
  const digest = new Uint8Array(16);
  state.forEach((value, at) => {
    new DataView(digest.buffer).setInt32(4 * at, value, true);
  });
  return digest;
}
