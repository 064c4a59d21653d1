import type * as z from 'zod';

import type { Damaged } from '@sturdy/core';

export type DocumentKind = Damaged['kind'];

/** Reads documents with their schemas. One that cannot be read is noted and left out, so that it spoils nothing else. */
export class DamageList {
  readonly #found = new Map<string, Damaged>();

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
  list(): Damaged[] {
    return [...this.#found.values()];
  }

  forget(kind: DocumentKind, id: string): void {
    this.#found.delete(`${kind} ${id}`);
  }
}
