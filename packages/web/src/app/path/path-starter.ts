import { inject, Injectable } from '@angular/core';
import { firstValueFrom } from 'rxjs';
import { Api } from '../shared/api';
import { PathWalk } from './path-walk';

/** Starts the path of a first visit: what the project holds already is asked for, because the path goes on with what is made on it. */
@Injectable({ providedIn: 'root' })
export class PathStarter {
  readonly #api = inject(Api);
  readonly #walk = inject(PathWalk);

  async start(): Promise<void> {
    const [scripts, runs] = await Promise.all([firstValueFrom(this.#api.scripts()), firstValueFrom(this.#api.runs())]);
    this.#walk.start({ before: scripts.map(({ id }) => id), runsBefore: runs.map(({ id }) => id) });
  }
}
