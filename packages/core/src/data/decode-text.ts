/** How a file was written down as bytes. */
export type TextEncoding = 'UTF-8' | 'UTF-16LE' | 'UTF-16BE' | 'Windows-1252';

/** A file that is no UTF-16 is looked at whole before it is known whether it is UTF-8. */
const lookedAt = 4000;

/** How a file is written, by its first bytes: its byte order mark, else zero bytes as UTF-16 has them. Undefined where they do not tell. */
export function encodingAtStart(bytes: Uint8Array): TextEncoding | undefined {
  if (bytes[0] === 0xef && bytes[1] === 0xbb && bytes[2] === 0xbf) return 'UTF-8';
  if (bytes[0] === 0xff && bytes[1] === 0xfe) return 'UTF-16LE';
  if (bytes[0] === 0xfe && bytes[1] === 0xff) return 'UTF-16BE';
  const start = bytes.subarray(0, lookedAt);
  const zeros = [0, 0];
  start.forEach((byte, at) => {
    if (byte === 0) zeros[at % 2] = (zeros[at % 2] ?? 0) + 1;
  });
  const many = start.length / 4;
  if ((zeros[1] ?? 0) > many && (zeros[0] ?? 0) < many / 8) return 'UTF-16LE';
  if ((zeros[0] ?? 0) > many && (zeros[1] ?? 0) < many / 8) return 'UTF-16BE';
  return undefined;
}

/** Tells piece by piece whether a file is UTF-8 throughout; offices still write Windows-1252. */
export class Utf8Check {
  readonly #decoder = new TextDecoder('utf-8', { fatal: true });
  #holds = true;

  /** True as long as all bytes so far are UTF-8. */
  take(bytes: Uint8Array): boolean {
    if (!this.#holds) return false;
    try {
      this.#decoder.decode(bytes, { stream: true });
    } catch {
      this.#holds = false;
    }
    return this.#holds;
  }

  end(): boolean {
    try {
      this.#decoder.decode();
    } catch {
      this.#holds = false;
    }
    return this.#holds;
  }
}

/** Turns the bytes of a file into text piece by piece; a byte order mark is left out. */
export class TextReader {
  readonly #decoder: InstanceType<typeof TextDecoder> | null;

  constructor(encoding: TextEncoding) {
    this.#decoder = encoding === 'Windows-1252' ? null : new TextDecoder(encoding);
  }

  write(bytes: Uint8Array): string {
    return this.#decoder ? this.#decoder.decode(bytes, { stream: true }) : windows1252(bytes);
  }

  end(): string {
    return this.#decoder?.decode() ?? '';
  }
}

/** The text of a file, and how it was encoded. */
export function decodeText(bytes: Uint8Array): { text: string; encoding: TextEncoding } {
  const check = new Utf8Check();
  const encoding = encodingAtStart(bytes) ?? (check.take(bytes) && check.end() ? 'UTF-8' : 'Windows-1252');
  const reader = new TextReader(encoding);
  return { text: reader.write(bytes) + reader.end(), encoding };
}

/** What the bytes 0x80 to 0x9F mean in Windows-1252 (Encoding standard of WHATWG, index windows-1252); the five free ones stay control signs. */
const upper = '€\u0081‚ƒ„…†‡ˆ‰Š‹Œ\u008dŽ\u008f\u0090‘’“”•–—˜™š›œ\u009džŸ';

/** Some versions of Node.js decode this as ISO 8859-1, so it is done here. */
function windows1252(bytes: Uint8Array): string {
  const signs: string[] = [];
  for (let at = 0; at < bytes.length; at += 8192) signs.push(String.fromCharCode(...bytes.subarray(at, at + 8192)));
  return signs.join('').replace(/[\u0080-\u009f]/g, (sign) => upper[sign.charCodeAt(0) - 0x80] ?? sign);
}
