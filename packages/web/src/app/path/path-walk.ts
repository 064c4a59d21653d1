import { Injectable, signal } from '@angular/core';
import { projectId } from '../shared/api';
import { stopNames, type StopName, type Walk } from './stops';

/** Where a visitor stands: has not been asked, walks, has left the path, or has been to its end. */
export type WalkState = 'not asked' | 'walking' | 'left' | 'done';

const key = `sturdy-path-${projectId}`;

/** The walk along the path of a first visit, remembered by this browser for each project. */
@Injectable({ providedIn: 'root' })
export class PathWalk {
  readonly #kept = signal(read());
  readonly kept = this.#kept.asReadonly();

  /** Begins the path, or takes it up again where it was left. `before` is what the project held already. */
  start(before: Pick<Walk, 'before' | 'runsBefore'>): void {
    const { state, walk } = this.#kept();
    const goesOn = state !== 'done' && walk.reached.length > 0;
    this.#keep({ state: 'walking', walk: goesOn ? walk : { ...before, reached: [] } });
  }

  /** Leaves the path; it can be taken up again where it was left. */
  leave(): void {
    this.#keep({ ...this.#kept(), state: 'left' });
  }

  end(): void {
    this.#keep({ ...this.#kept(), state: 'done' });
  }

  /** Leaves stops behind. */
  reach(names: readonly StopName[]): void {
    const { state, walk } = this.#kept();
    const reached = stopNames.filter((name) => walk.reached.includes(name) || names.includes(name));
    if (reached.length > walk.reached.length) this.#keep({ state, walk: { ...walk, reached } });
  }

  #keep(kept: Kept): void {
    this.#kept.set(kept);
    localStorage.setItem(key, JSON.stringify(kept));
  }
}

interface Kept {
  state: WalkState;
  walk: Walk;
}

function read(): Kept {
  const nothing: Kept = { state: 'not asked', walk: { before: [], runsBefore: [], reached: [] } };
  try {
    return { ...nothing, ...(JSON.parse(localStorage.getItem(key) ?? '{}') as Partial<Kept>) };
  } catch {
    // Somebody else's text: the path begins anew.
    return nothing;
  }
}
