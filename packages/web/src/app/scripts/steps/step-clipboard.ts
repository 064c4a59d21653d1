import { Injectable, signal } from '@angular/core';
import type { Step } from '@sturdy/core';

/** Steps that were copied or cut, to be put in elsewhere, in another script too. */
@Injectable({ providedIn: 'root' })
export class StepClipboard {
  readonly #steps = signal<readonly Step[]>([]);
  readonly steps = this.#steps.asReadonly();

  /** Keeps steps; those that lie within another one of them go with it. */
  keep(steps: readonly Step[]): void {
    const inside = new Set(steps.flatMap((one) => ('steps' in one ? one.steps.map((inner) => inner.id) : [])));
    this.#steps.set(steps.filter((one) => !inside.has(one.id)));
  }
}
