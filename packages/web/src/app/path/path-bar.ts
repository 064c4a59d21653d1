import { ChangeDetectionStrategy, Component, computed, effect, inject, signal } from '@angular/core';
import { takeUntilDestroyed } from '@angular/core/rxjs-interop';
import { NavigationEnd, Router, RouterLink } from '@angular/router';
import { Store } from '@ngrx/store';
import { filter, startWith } from 'rxjs';
import { runsActions } from '../state/runs.actions';
import { runsFeature } from '../state/runs.feature';
import { scriptsActions } from '../state/scripts.actions';
import { scriptsFeature } from '../state/scripts.feature';
import { takesActions } from '../state/takes.actions';
import { takesFeature } from '../state/takes.feature';
import { PathWalk } from './path-walk';
import { nextStop, pathStops } from './stops';

/** The path of a first visit: its stops as knots on a string, what to do at the next one, and where. Shown above every screen while it is walked. */
@Component({
  selector: 'app-path-bar',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [RouterLink],
  template: `<section class="path" aria-label="Path of a first visit">
    <ol>
      @for (stop of stops(); track stop.name) {
        <li [class.reached]="stop.isReached" [class.here]="stop === next()" [attr.aria-current]="stop === next() ? 'step' : null">
          <span class="knot" aria-hidden="true">
            @if (stop.isReached) {
              <i class="bi bi-check"></i>
            }</span
          >{{ stop.title }}<span class="visually-hidden">{{ stop.isReached ? ', done' : '' }}</span>
        </li>
      }
    </ol>
    @if (!isKnown()) {
      <p>Looking how far you are…</p>
    } @else if (next(); as here) {
      <p>
        <b>{{ here.title }}.</b> {{ here.text }}
      </p>
      <span class="acts">
        @if (!isThere()) {
          <a class="act slim main" [routerLink]="here.link">Take me there</a>
        }
        @if (here.name === 'why') {
          <button class="act slim" [class.main]="isThere()" (click)="walk.reach(['why'])">Seen, go on</button>
        }
        <button class="act slim" (click)="walk.leave()" title="The board, the help and Ctrl K lead back to it">Leave the path</button>
      </span>
    } @else {
      <p><b>That is the whole way,</b> from a recording to a verdict. Your own application goes the same way.</p>
      <span class="acts"><button class="act slim main" (click)="walk.end()">Close</button></span>
    }
  </section>`,
  styles: `
    .path {
      display: grid;
      grid-template-columns: auto minmax(0, 1fr) auto;
      gap: 4px 18px;
      align-items: center;
      padding: 8px 18px;
      border-bottom: 1px solid var(--line);
      background: var(--clay-soft);
    }
    ol {
      display: flex;
      grid-column: 1 / -1;
      margin: 0;
      padding: 0;
      list-style: none;
      font-size: 12.5px;
      color: var(--ink-2);
    }
    li {
      position: relative;
      display: flex;
      gap: 6px;
      align-items: center;
      padding-right: 44px;
    }
    /* The string between two knots. */
    li:not(:last-child)::after {
      content: '';
      position: absolute;
      right: 8px;
      width: 28px;
      border-top: 2px solid var(--line-strong);
    }
    li.reached:not(:last-child)::after {
      border-color: var(--clay);
    }
    .knot {
      display: grid;
      place-items: center;
      width: 14px;
      height: 14px;
      border: 2px solid var(--line-strong);
      border-radius: 50%;
      background: var(--paper);
      font-size: 12px;
      line-height: 1;
    }
    .reached .knot {
      border-color: var(--clay);
      background: var(--clay);
      color: var(--paper);
    }
    .here {
      color: var(--ink);
      font-weight: 620;
    }
    .here .knot {
      border-color: var(--clay);
    }
    p {
      grid-column: 1 / 3;
      margin: 0;
      font-size: 13.5px;
    }
    .acts {
      display: flex;
      gap: 8px;
      white-space: nowrap;
    }
  `,
})
export class PathBar {
  readonly #store = inject<Store>(Store);
  readonly #router = inject(Router);
  readonly walk = inject(PathWalk);
  readonly #address = signal(this.#router.url);
  readonly #takes = this.#store.selectSignal(takesFeature.selectAll);
  readonly #scripts = this.#store.selectSignal(scriptsFeature.selectAll);
  readonly #rehearsals = this.#store.selectSignal(scriptsFeature.selectRehearsals);
  readonly #runs = this.#store.selectSignal(runsFeature.selectList);
  readonly #listed = [takesFeature.selectListed, scriptsFeature.selectListed, runsFeature.selectListed].map((listed) =>
    this.#store.selectSignal(listed),
  );
  readonly stops = computed(() =>
    pathStops(this.walk.kept().walk, {
      takes: this.#takes(),
      scripts: this.#scripts(),
      rehearsals: this.#rehearsals(),
      runs: this.#runs(),
    }),
  );
  /** False until the lists have come: what is not known yet is not missing. */
  readonly isKnown = computed(() => this.#listed.every((isListed) => isListed()));
  readonly next = computed(() => nextStop(this.stops()));
  readonly isThere = computed(() => this.#address().split(/[?#]/)[0] === this.next()?.link);

  constructor() {
    // What a screen has made is known to the path once its list is asked for again.
    this.#router.events
      .pipe(
        filter((event) => event instanceof NavigationEnd),
        startWith(null),
        takeUntilDestroyed(),
      )
      .subscribe((event) => {
        this.#address.set(event?.urlAfterRedirects ?? this.#router.url);
        this.#store.dispatch(takesActions.listAsked());
        this.#store.dispatch(scriptsActions.listAsked());
        this.#store.dispatch(runsActions.listAsked());
      });
    effect(() => {
      this.walk.reach(this.stops().flatMap(({ name, isReached }) => (isReached ? [name] : [])));
    });
  }
}
