import type * as z from 'zod';

/** Kinds of documents that are kept one by one. */
export const documentKinds = ['environment', 'take', 'exchange', 'pattern', 'script', 'part', 'rehearsal', 'workload', 'run'] as const;
export type DocumentKind = (typeof documentKinds)[number];

/** A document that an older version or a fault left such that it cannot be read. */
export interface DamagedDocument {
  kind: DocumentKind;
  /** Its id; of an exchange the id of its take, a slash and its number. */
  id: string;
  name: string;
  /** What is wrong with it, in a sentence. */
  reason: string;
}

/** Reads documents with their schemas. One that cannot be read is noted and left out, so that it spoils nothing beside it. */
export class DamageList {
  readonly #found = new Map<string, DamagedDocument>();

  /** The document; null where it cannot be read. */
  read<T>(kind: DocumentKind, id: string, schema: z.ZodType<T>, doc: unknown): T | null {
    const parsed = schema.safeParse(doc);
    const key = `${kind} ${id}`;
    if (parsed.success) {
      this.#found.delete(key);
      return parsed.data;
    }
    const [issue] = parsed.error.issues;
    const name: unknown = (doc as { name?: unknown } | null)?.name;
    this.#found.set(key, {
      kind,
      id,
      name: typeof name === 'string' ? name : '',
      reason: `${issue === undefined || issue.path.length === 0 ? 'It' : issue.path.join('.')}: ${issue?.message ?? 'cannot be read'}`,
    });
    return null;
  }

  /** All of a list that can be read. */
  all<T, R extends { doc: unknown }>(kind: DocumentKind, rows: readonly R[], idOf: (row: R) => string, schema: z.ZodType<T>): T[] {
    return rows.flatMap((row) => this.read(kind, idOf(row), schema, row.doc) ?? []);
  }

  /** What could not be read since the store was opened, and was not read or deleted since. */
  list(): DamagedDocument[] {
    return [...this.#found.values()];
  }

  forget(kind: DocumentKind, id: string): void {
    this.#found.delete(`${kind} ${id}`);
  }
}
