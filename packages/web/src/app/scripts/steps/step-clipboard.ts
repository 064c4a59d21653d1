import { Injectable, signal } from '@angular/core';
import type { Step } from '@sturdy/core';

/** Steps that were copied or cut, to be put in elsewhere, in another script too. */
@Injectable({ providedIn: 'root' })
export class StepClipboard {
  readonly #steps = signal<readonly Step[]>([]);
  readonly steps = this.#steps.asReadonly();

  keep(steps: readonly Step[]): void {
    this.#steps.set(steps);
  }
}
