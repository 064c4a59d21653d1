import { createHash } from 'node:crypto';
import { createReadStream, createWriteStream, existsSync, mkdirSync, readdirSync, renameSync, rmSync, statSync } from 'node:fs';
import { dirname, join, sep } from 'node:path';
import type { Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';

/** What stands beside a file of which product and folder have different texts: that of the product. */
export const copyOf = (path: string): string => path.replace(/(\.[^./]+)$/, '.in-product$1');
const isCopy = (path: string): boolean => /\.in-product\.[^./]+$/.test(path);

/** The files of a folder with the digests of their texts. A file is read again only where its time or its size has changed. */
export class FolderFiles {
  readonly #known = new Map<string, { stamp: string; digest: string }>();

  constructor(readonly folder: string) {}

  path(name: string): string {
    return join(this.folder, name);
  }

  has(name: string): boolean {
    return existsSync(this.path(name));
  }

  /** SHA-256 of all files but those that begin with a dot, and copies of conflicts. */
  async digests(): Promise<Map<string, string>> {
    const names = readdirSync(this.folder, { recursive: true, withFileTypes: true })
      .filter((entry) => entry.isFile())
      .map((entry) => join(entry.parentPath, entry.name).slice(join(this.folder, sep).length).split(sep).join('/'))
      .filter((name) => !name.split('/').some((part) => part.startsWith('.')) && !isCopy(name));
    const digests = new Map<string, string>();
    for (const name of names) {
      const digest = await this.digest(name);
      if (digest !== null) digests.set(name, digest);
    }
    return digests;
  }

  /** SHA-256 of a file; null where it is not there. */
  async digest(name: string): Promise<string | null> {
    const stat = statSync(this.path(name), { throwIfNoEntry: false });
    if (!stat?.isFile()) return null;
    const stamp = `${stat.mtimeMs} ${stat.size}`;
    const known = this.#known.get(name);
    if (known?.stamp === stamp) return known.digest;
    const hash = createHash('sha256');
    await pipeline(createReadStream(this.path(name)), hash);
    const digest = hash.digest('hex');
    this.#known.set(name, { stamp, digest });
    return digest;
  }

  /** Writes a file whole or not at all; `mayReplace` is asked at the last moment. False where it was not written. */
  async write(name: string, content: Readable, mayReplace: () => Promise<boolean>): Promise<boolean> {
    const unfinished = this.path('.sturdy-unfinished');
    await pipeline(content, createWriteStream(unfinished, { mode: 0o600 }));
    if (!(await mayReplace())) {
      rmSync(unfinished);
      return false;
    }
    mkdirSync(dirname(this.path(name)), { recursive: true });
    renameSync(unfinished, this.path(name));
    this.#known.delete(name);
    return true;
  }

  remove(name: string): void {
    rmSync(this.path(name), { force: true });
  }
}
