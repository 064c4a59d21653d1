import { BodyRefSchema, type BodyRef } from '@sturdy/core';

/** All bodies that a document names, wherever in it. */
export function referredBodies(document: unknown): BodyRef[] {
  if (typeof document !== 'object' || document === null) return [];
  const ref = BodyRefSchema.safeParse(document);
  if (ref.success) return [ref.data];
  return Object.values(document).flatMap(referredBodies);
}
