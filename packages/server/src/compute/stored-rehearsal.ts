import { actionKindOf, type CapturedStep, type Rehearsal } from '@sturdy/core';
import type { Store } from '../store/store-client.js';

/** A rehearsal with the texts that are read from its answers. */
export interface StoredRehearsal {
  number: number;
  steps: CapturedStep[];
  /** Steps that had failed in it. */
  failed: string[];
  bodies: Record<string, string>;
}

/** A rehearsal with the texts that computing reads, of the steps that are wanted. */
export async function storedRehearsal(
  store: Store,
  { number, steps }: Rehearsal,
  isWanted: (captured: CapturedStep) => boolean = () => true,
): Promise<StoredRehearsal> {
  const captured = steps.flatMap((step) => (step.captured && isWanted(step.captured) ? [step.captured] : []));
  const hashes = captured.flatMap((step) => actionKindOf(step).bodies(step));
  return {
    number,
    steps: captured,
    failed: steps.filter((step) => step.verdict === 'failed').map((step) => step.step),
    bodies: await store.bodyTexts(hashes),
  };
}
