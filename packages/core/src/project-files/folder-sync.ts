/** A file as it was when product and folder were equal: what the product said of it, and the digest of its text in the folder. */
export interface SyncedFile {
  revision: string;
  digest: string;
}

/** What is known of a file of a project that is kept equal in a folder; null where it is not there. */
export interface FileState {
  path: string;
  /** As it was when both were equal; null where they never were. */
  base: SyncedFile | null;
  /** What the product says of its text now; changes with it. */
  revision: string | null;
  /** Digest of its text in the folder. */
  digest: string | null;
  /** True where a change in the folder can be taken into the product. */
  isWritten: boolean;
}

/**
 * What is to be done with a file:
 * `fetch`: the product changed, so its text goes into the folder; `send`: the folder changed, so its text goes into the product; `remove`: the product has it no more,
 * and the folder has it as it was; `conflict`: both changed, or it is not known which of two is the newer; `gone`: it was deleted in the folder, and the product
 * still has it; `kept`: the product has it no more, and it was changed in the folder; `foreign`: it was changed in the folder, and only the product can change it;
 * `new`: the folder has a file that the product does not know.
 */
export type SyncStep = 'fetch' | 'send' | 'remove' | 'conflict' | 'gone' | 'kept' | 'foreign' | 'new';

/**
 * Says what is to be done with a file so that product and folder are equal and nothing is lost; null where nothing is. A revision that
 * is the digest of the text itself tells by itself that both are equal.
 */
export function syncStep({ base, revision, digest, isWritten }: FileState): SyncStep | null {
  if (revision !== null && revision === digest) return null;
  const productChanged = revision !== (base?.revision ?? null);
  const folderChanged = digest !== (base?.digest ?? null);
  if (revision === null) {
    if (digest === null) return null;
    if (base === null) return isWritten ? 'new' : null;
    return folderChanged ? 'kept' : 'remove';
  }
  if (digest === null) return base === null || productChanged ? 'fetch' : 'gone';
  if (!folderChanged) return productChanged ? 'fetch' : null;
  if (!isWritten) return productChanged ? 'fetch' : 'foreign';
  return productChanged ? 'conflict' : 'send';
}
