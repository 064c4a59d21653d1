import { ChangeDetectionStrategy, Component, computed, inject, input, output, signal } from '@angular/core';
import { toObservable, toSignal } from '@angular/core/rxjs-interop';
import { RouterLink } from '@angular/router';
import { causesOf, gestureWords, type Exchange, type MadeSecondTake, type Take, type Way } from '@sturdy/core';
import { of, startWith, switchMap } from 'rxjs';
import { Api, problemOf } from '../shared/api';
import { figure } from '../shared/format';
import { WhyNot } from '../shared/why-not';

const wayNames: Readonly<Record<Exclude<Way['kind'], 'attribute' | 'test-id'>, string>> = {
  role: 'role and name',
  label: 'label',
  text: 'text',
  near: 'text before it',
  path: 'path',
};

/** What a person did in the clean browser, with the requests that followed from it; a second take is made of it. */
@Component({
  selector: 'app-gesture-list',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [RouterLink, WhyNot],
  template: `<section class="second card-box" aria-label="Second take">
      <div class="pad d-flex gap-3 align-items-center">
        <div>
          <b>A second take that makes itself</b>
          <div class="muted small">
            The gestures are played again through the recorder, with other values where you were free; that makes real records, as you did.
            Two takes tell what the application gives anew each time.
          </div>
        </div>
        <span class="grow"></span>
        @if (making()) {
          <button class="act slim" (click)="cancel()">Cancel</button>
        } @else {
          <label
            class="check small text-nowrap"
            title="What cannot be played can be done by hand there; needs a screen on the machine of the server"
          >
            <input type="checkbox" [checked]="inWindow()" (change)="inWindow.set(!inWindow())" /> in a window
          </label>
          <button class="act main" (click)="make()" [whyNot]="take().state !== 'done' && 'The take is still being recorded.'">
            <i class="bi bi-collection-play" aria-hidden="true"></i>Make the second take
          </button>
        }
      </div>
      @if (making()) {
        <div class="pad pt-0 making">
          <p class="m-0" role="status">
            @if (progress(); as now) {
              {{ now.round > 1 ? 'Round ' + now.round + ', gesture ' : 'Gesture ' }}{{ now.done + 1 }} of {{ now.total }}: {{ now.words }}
            } @else {
              A clean browser is opened…
            }
          </p>
          <progress [value]="progress()?.done ?? 0" [max]="progress()?.total ?? 1" aria-label="How far the second take is"></progress>
          @if (progress()?.waitsFor; as reason) {
            <div class="note warn" role="alert">
              <span>{{ reason }} Do it by hand in the window, then go on.</span>
              <span class="grow"></span>
              <button class="act slim" (click)="answer(true)">It is done, go on</button>
              <button class="act slim" (click)="answer(false)">End it here</button>
            </div>
          }
        </div>
      }
      @if (problem(); as sentence) {
        <p class="note bad m-3 mt-0" role="alert">{{ sentence }}</p>
      }
      @if (made(); as result) {
        <div class="pad pt-0 result" role="status">
          @if (result.failure; as failure) {
            <p class="note bad">
              <span
                ><b>Gesture {{ failure.n }} could not be played.</b> {{ failure.words }}: {{ failure.sentence }}
                {{ result.take ? 'What was recorded up to there is kept.' : '' }}</span
              >
            </p>
          } @else {
            <p class="note good">
              All {{ result.total }} gestures were played{{ result.rounds > 1 ? ', after ' + result.rounds + ' rounds' : '' }}.
            </p>
          }
          @if (result.changed.length > 0) {
            <p class="small m-0"><b>With other values:</b> {{ list(result.changed) }}</p>
          }
          @if (result.asRecorded.length > 0) {
            <p class="small m-0">
              <b>As it was recorded:</b> {{ list(result.asRecorded) }}
              <span class="muted">What looks something up, or led astray with another value, stays.</span>
            </p>
          }
          @if (result.drifted.length > 0) {
            <p class="small m-0"><b>Found by a later way than the best:</b> {{ list(result.drifted) }}</p>
          }
          @if (result.take; as second) {
            <p class="m-0">
              <a [routerLink]="['/takes', second.id]">{{ second.name }}</a>
              <span class="muted"> is there now. Choose it under <i>Correlate</i> in the script as its second take.</span>
            </p>
          }
        </div>
      }
    </section>
    <table class="grid card-box" aria-label="Gestures">
      <thead>
        <tr>
          <th class="num">No.</th>
          <th class="num">At, s</th>
          <th>Gesture</th>
          <th>Found by</th>
          <th>Requests that followed</th>
        </tr>
      </thead>
      <tbody>
        @for (row of rows(); track row.gesture.n) {
          <tr>
            <td class="num">{{ row.gesture.n }}</td>
            <td class="num">{{ seconds(row.gesture.atMs) }}</td>
            <td>
              {{ words(row.gesture) }}
              @if (row.gesture.tab > 1 || row.gesture.frames.length > 0) {
                <div class="muted small">
                  {{ row.gesture.tab > 1 ? 'tab ' + row.gesture.tab : '' }}{{ row.gesture.frames.length > 0 ? ' in a frame' : '' }}
                </div>
              }
            </td>
            <td>
              @for (way of row.gesture.aim?.ways ?? []; track $index; let first = $first) {
                <span class="way" [class.sure]="way.found === 1" [title]="wayHint(way)"
                  >{{ wayName(way) }}{{ way.found === 1 ? '' : ' (' + way.found + ')' }}</span
                >
              } @empty {
                <span class="muted">no element</span>
              }
            </td>
            <td>
              @for (exchange of row.caused; track exchange.n) {
                <button class="link" (click)="shown.emit(exchange.n)">{{ label(exchange) }}</button>
              } @empty {
                <span class="muted">none</span>
              }
            </td>
          </tr>
        }
      </tbody>
    </table>`,
  styles: `
    :host {
      display: block;
      overflow: auto;
    }
    .second {
      margin-bottom: 12px;
    }
    .making,
    .result {
      display: grid;
      gap: 8px;
    }
    .making progress {
      width: min(520px, 100%);
    }
    .note {
      margin: 0;
    }
    .way {
      display: inline-block;
      margin: 0 5px 3px 0;
      padding: 0 6px;
      border: 1px dashed var(--line);
      border-radius: 4px;
      font-size: 12px;
      color: var(--muted);
    }
    .way.sure {
      border-style: solid;
      color: var(--ink);
    }
    .link {
      display: block;
      min-width: 24px;
      min-height: 24px;
      padding: 2px 0;
      border: 0;
      background: none;
      color: var(--link, var(--ink));
      text-decoration: underline;
      text-align: left;
      font-size: 12.5px;
      overflow-wrap: anywhere;
    }
  `,
})
export class GestureList {
  readonly #api = inject(Api);
  readonly take = input.required<Take>();
  readonly exchanges = input.required<readonly Exchange[]>();
  /** Somebody wants to see an exchange. */
  readonly shown = output<number>();
  readonly making = signal(false);
  /** True where it is to be made in a window, in which a person can help. */
  readonly inWindow = signal(false);
  readonly made = signal<MadeSecondTake | null>(null);
  readonly problem = signal<string | null>(null);
  readonly progress = toSignal(
    toObservable(computed(() => ({ id: this.take().id, isMaking: this.making() }))).pipe(
      switchMap(({ id, isMaking }) => (isMaking ? this.#api.playingProgress(id).pipe(startWith(null)) : of(null))),
    ),
    { initialValue: null },
  );
  readonly rows = computed(() => {
    const causes = causesOf(this.take().gestures ?? [], this.exchanges());
    return (this.take().gestures ?? []).map((gesture) => ({
      gesture,
      caused: this.exchanges().filter(({ n }) => causes.get(n) === gesture.n),
    }));
  });
  readonly seconds = (ms: number): string => figure(ms / 1000, 1);
  readonly words = gestureWords;

  wayName = (way: Way): string => (way.kind === 'attribute' || way.kind === 'test-id' ? way.attribute : wayNames[way.kind]);
  wayHint(way: Way): string {
    const what = 'name' in way ? way.name : 'text' in way ? way.text : 'value' in way ? `${way.attribute} = ${way.value}` : way.css;
    return `${what}: ${way.found === 1 ? 'the only one on the page' : `${way.found} on the page`}`;
  }
  label(exchange: Exchange): string {
    const { pathname } = new URL(exchange.url);
    return `${exchange.kind === 'request' ? exchange.method : 'message'} ${pathname}`;
  }
  list(told: readonly { words: string }[]): string {
    return `${told.map(({ words }) => words).join('; ')}.`;
  }
  make(): void {
    this.making.set(true);
    this.made.set(null);
    this.problem.set(null);
    this.#api.makeSecondTake(this.take().id, this.inWindow()).subscribe({
      next: (made) => {
        this.making.set(false);
        this.made.set(made);
      },
      error: this.#tell,
    });
  }
  answer(goesOn: boolean): void {
    this.#api.answerSecondTake(this.take().id, goesOn).subscribe({ error: this.#tell });
  }
  cancel(): void {
    this.#api.cancelSecondTake(this.take().id).subscribe({ error: this.#tell });
  }
  readonly #tell = (error: unknown): void => {
    this.making.set(false);
    this.problem.set(problemOf(error));
  };
}
