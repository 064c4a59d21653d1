/** How a file was written down as bytes. */
export type TextEncoding = 'UTF-8' | 'UTF-16LE' | 'UTF-16BE' | 'Windows-1252';

/**
 * The text of a file, and how it was encoded: by its byte order mark, else by zero bytes as UTF-16 has them, else UTF-8 where every byte
 * fits it, else Windows-1252, which programs of offices still write.
 */
export function decodeText(bytes: Uint8Array): { text: string; encoding: TextEncoding } {
  const read = (label: string, encoding: TextEncoding, from = 0): { text: string; encoding: TextEncoding } => ({
    text: new TextDecoder(label).decode(bytes.subarray(from)),
    encoding,
  });
  if (bytes[0] === 0xef && bytes[1] === 0xbb && bytes[2] === 0xbf) return read('utf-8', 'UTF-8', 3);
  if (bytes[0] === 0xff && bytes[1] === 0xfe) return read('utf-16le', 'UTF-16LE', 2);
  if (bytes[0] === 0xfe && bytes[1] === 0xff) return read('utf-16be', 'UTF-16BE', 2);
  const start = bytes.subarray(0, 4000);
  const zeros = [0, 0];
  start.forEach((byte, at) => {
    if (byte === 0) zeros[at % 2] = (zeros[at % 2] ?? 0) + 1;
  });
  const many = start.length / 4;
  if ((zeros[1] ?? 0) > many && (zeros[0] ?? 0) < many / 8) return read('utf-16le', 'UTF-16LE');
  if ((zeros[0] ?? 0) > many && (zeros[1] ?? 0) < many / 8) return read('utf-16be', 'UTF-16BE');
  try {
    return { text: new TextDecoder('utf-8', { fatal: true }).decode(bytes), encoding: 'UTF-8' };
  } catch {
    return { text: windows1252(bytes), encoding: 'Windows-1252' };
  }
}

/** What the bytes 0x80 to 0x9F mean in Windows-1252 (Encoding standard of WHATWG, index windows-1252); the five free ones stay control signs. */
const upper = '€\u0081‚ƒ„…†‡ˆ‰Š‹Œ\u008dŽ\u008f\u0090‘’“”•–—˜™š›œ\u009džŸ';

/** Some versions of Node.js decode this as ISO 8859-1, so it is done here. */
function windows1252(bytes: Uint8Array): string {
  const signs: string[] = [];
  for (let at = 0; at < bytes.length; at += 8192) signs.push(String.fromCharCode(...bytes.subarray(at, at + 8192)));
  return signs.join('').replace(/[\u0080-\u009f]/g, (sign) => upper[sign.charCodeAt(0) - 0x80] ?? sign);
}
