import { ChangeDetectionStrategy, Component, computed, inject } from '@angular/core';
import { PathStarter } from './path-starter';
import { PathWalk } from './path-walk';
import { stopNames } from './stops';

/** Offers the path of a first visit, or to take it up again; nothing while it is walked, and after its end. */
@Component({
  selector: 'app-path-card',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `@switch (state()) {
    @case ('not asked') {
      <section class="card-box pad" aria-labelledby="path-offer">
        <b id="path-offer">First time here?</b>
        <p class="muted small mb-2">
          Six stops lead through the real screens, from a take to a verdict: see a replay fail, see why, press, see it pass, load it. It
          takes about ten minutes, and can be left at any time.
        </p>
        <button class="act main" (click)="starter.start()">Show me the path</button>
        <button class="act ms-2" (click)="walk.leave()">Not now</button>
      </section>
    }
    @case ('left') {
      <p class="small muted">
        Path of a first visit: {{ reached() }} of {{ stops }} stops done.
        <button class="act slim" (click)="starter.start()">{{ reached() === 0 ? 'Begin it' : 'Take it up' }}</button>
      </p>
    }
  }`,
  styles: `
    section {
      margin-bottom: 14px;
      border-color: var(--clay);
    }
  `,
})
export class PathCard {
  readonly walk = inject(PathWalk);
  readonly starter = inject(PathStarter);
  readonly state = computed(() => this.walk.kept().state);
  readonly reached = computed(() => this.walk.kept().walk.reached.length);
  readonly stops = stopNames.length;
}
