import { createCipheriv, createDecipheriv, createHash, randomBytes } from 'node:crypto';
import { existsSync, readFileSync, renameSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { ownFolder } from './own-folder.js';

/** AES-256-GCM (NIST SP 800-38D) with nonces of 96 bits drawn at random. */
const cipher = 'aes-256-gcm';
const keyBytes = 32;
const nonceBytes = 12;
const tagBytes = 16;
/** Before each sealed text; a text that a person writes does not begin so. */
const prefix = '\u0001sealed:';

/** A key is told from others by the beginning of its digest. */
const idOf = (key: Buffer): string => createHash('sha256').update(key).digest('hex').slice(0, 8);

/** Seals texts that nobody may read in the files of the database, and opens them. */
export class SecretBox {
  readonly #keys: ReadonlyMap<string, Buffer>;
  readonly #newest: { id: string; key: Buffer };

  /** Seals with the first key and opens with any of them. */
  constructor(keys: readonly [Buffer, ...Buffer[]]) {
    this.#keys = new Map(keys.map((key) => [idOf(key), key]));
    this.#newest = { id: idOf(keys[0]), key: keys[0] };
  }

  /** Seals a text for a place, such as the id of its document; it opens at that place only. An empty text stays empty. */
  seal(text: string, place: string): string {
    if (text === '') return '';
    const nonce = randomBytes(nonceBytes);
    const sealing = createCipheriv(cipher, this.#newest.key, nonce).setAAD(Buffer.from(place));
    const sealed = Buffer.concat([sealing.update(text, 'utf8'), sealing.final()]);
    return `${prefix}${this.#newest.id}:${Buffer.concat([nonce, sealing.getAuthTag(), sealed]).toString('base64')}`;
  }

  /** Opens a sealed text; what was never sealed is given as it is. Throws a sentence where its key is missing or it was changed. */
  open(text: string, place: string): string {
    if (!text.startsWith(prefix)) return text;
    const [id = '', data = ''] = text.slice(prefix.length).split(':');
    const key = this.#keys.get(id);
    if (!key)
      throw new Error(
        `A secret was sealed with the key ${id}, which is not there. Put it back, in ${keyFileName} or in ${keyVariable} behind the newest one.`,
      );
    const bytes = Buffer.from(data, 'base64');
    const opening = createDecipheriv(cipher, key, bytes.subarray(0, nonceBytes), { authTagLength: tagBytes })
      .setAAD(Buffer.from(place))
      .setAuthTag(bytes.subarray(nonceBytes, nonceBytes + tagBytes));
    try {
      return Buffer.concat([opening.update(bytes.subarray(nonceBytes + tagBytes)), opening.final()]).toString('utf8');
    } catch {
      throw new Error(`A secret that was sealed with the key ${id} was changed or damaged. Write it anew in its environment.`);
    }
  }

  /** True for a text that is not sealed with the newest key. */
  isStale(text: string): boolean {
    return text !== '' && !text.startsWith(`${prefix}${this.#newest.id}:`);
  }
}

export const keyFileName = 'secrets.key';
export const keyVariable = 'STURDY_SECRETS_KEY';

function keyFrom(text: string, where: string): Buffer {
  const key = Buffer.from(text, 'base64');
  if (key.length !== keyBytes || key.toString('base64') !== text)
    throw new Error(`${where} holds something that is no key. A key is 32 random bytes in base64: openssl rand -base64 32.`);
  return key;
}

/**
 * The keys of a data folder, the newest first: those of the environment variable, with commas between them, or one on each line of the key file, which is
 * made at the first start. Throws a sentence where one is no key.
 */
export function openKeys(folder: string, environment: NodeJS.ProcessEnv = process.env): [Buffer, ...Buffer[]] {
  const given = environment[keyVariable];
  const [first, ...rest] = (given ?? '')
    .split(',')
    .map((keyText) => keyText.trim())
    .filter(Boolean);
  if (first !== undefined) return [keyFrom(first, keyVariable), ...rest.map((keyText) => keyFrom(keyText, keyVariable))];
  ownFolder(folder);
  const file = join(folder, keyFileName);
  if (!existsSync(file)) {
    // Under another name until it is whole: half a key would lock everything out.
    writeFileSync(`${file}.new`, `${randomBytes(keyBytes).toString('base64')}\n`, { mode: 0o600 });
    renameSync(`${file}.new`, file);
  }
  const [newest, ...older] = readFileSync(file, 'utf8')
    .split('\n')
    .map((keyText) => keyText.trim())
    .filter(Boolean);
  if (newest === undefined) throw new Error(`${file} is empty. Put the key back that was in it, or nothing that was sealed can be read.`);
  return [keyFrom(newest, file), ...older.map((keyText) => keyFrom(keyText, file))];
}
