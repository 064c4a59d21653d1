import { ChangeDetectionStrategy, Component, computed, input, output, signal } from '@angular/core';
import {
  BrowserLikenessSchema,
  cycleSeconds,
  pacingForRate,
  usersForRate,
  type BrowserLikeness,
  type Crew,
  type CrewForecast,
  type CurveKind,
  type Line,
  type Pacing,
  type ThinkTime,
  type Timeouts,
} from '@sturdy/core';
import { NumberField } from '../shared/number-field';

const thinkKinds: { id: ThinkTime['kind']; name: string }[] = [
  { id: 'recorded', name: 'as recorded' },
  { id: 'scaled', name: 'recorded, times a factor' },
  { id: 'fixed', name: 'always the same' },
  { id: 'none', name: 'none' },
];
const pacingKinds: { id: Pacing['kind']; name: string }[] = [
  { id: 'start-to-start', name: 'every so often' },
  { id: 'end-to-start', name: 'so long after the last' },
  { id: 'none', name: 'at once after the last' },
];
const failureKinds: { id: Crew['onFailure']; name: string }[] = [
  { id: 'next-iteration', name: 'begin the next iteration' },
  { id: 'go-on', name: 'go on with the next step' },
  { id: 'stop-user', name: 'stop this user' },
  { id: 'end-run', name: 'end the run' },
];
const plainBrowser = BrowserLikenessSchema.parse({});
const nameOf = (kinds: readonly { id: string; name: string }[], id: string): string => kinds.find((kind) => kind.id === id)?.name ?? id;

/** One crew of a workload: who plays what, how often; behind a button how they pause, start and take failures. */
@Component({
  selector: 'app-crew-row',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [NumberField],
  templateUrl: './crew-row.html',
  styles: `
    :host {
      display: block;
      border-bottom: 1px solid var(--line);
    }
    .line {
      display: flex;
      gap: 5px 10px;
      flex-wrap: wrap;
      align-items: end;
      padding: 8px 12px;
    }
    .script {
      width: 190px;
    }
    .more {
      background: var(--sunk);
      padding: 10px 12px 12px;
    }
    .rest {
      padding-top: 0;
    }
    .more app-number-field {
      width: 154px;
    }
    .more .field.grow {
      min-width: 230px;
    }
    .rest b {
      width: 96px;
      padding-bottom: 6px;
      font-weight: 600;
    }
    .lang {
      width: 110px;
    }
    .side {
      padding-bottom: 7px;
    }
  `,
})
export class CrewRow {
  readonly crew = input.required<Crew>();
  readonly scripts = input.required<readonly { id: string; name: string }[]>();
  readonly curve = input.required<CurveKind>();
  readonly byShares = input(false);
  readonly forecast = input<CrewForecast | undefined>();
  readonly changed = output<Partial<Crew>>();
  readonly removed = output();
  readonly open = signal(false);
  readonly thinkKinds = thinkKinds;
  readonly pacingKinds = pacingKinds;
  readonly failureKinds = failureKinds;
  readonly arrives = computed(() => this.curve() === 'arrivals');
  /** Iterations an hour that the crew comes to; null where nobody knows how long one takes. */
  readonly rate = computed(() => {
    const crew = this.crew();
    const iterationLength = this.forecast()?.iterationSeconds ?? 0;
    return iterationLength === 0 && crew.pacing.seconds === 0
      ? null
      : Math.round((3600 * crew.users) / cycleSeconds(crew, iterationLength));
  });
  /** What is set behind the button, in words. */
  readonly told = computed(() => {
    const { think, onFailure, iterations, startDelayMs, line, browser } = this.crew();
    return [
      `pauses ${nameOf(thinkKinds, think.kind)}${think.kind === 'none' ? '' : `, ${think.capMs / 1000} s at most`}`,
      `after a failed step ${nameOf(failureKinds, onFailure)}`,
      ...(iterations && !this.arrives() ? [`${iterations} iterations each`] : []),
      ...(line && (line.latencyMs > 0 || line.downKbps !== null || line.upKbps !== null) ? ['over a slower line'] : []),
      ...(browser && browser.cache !== 'off' ? [`${browser.cache} cache`] : []),
      ...(startDelayMs && !this.arrives() ? [`started ${startDelayMs} ms apart`] : []),
    ].join(' · ');
  });

  set(change: Partial<Crew>): void {
    this.changed.emit(change);
  }
  setThink(change: Partial<ThinkTime>): void {
    this.set({ think: { ...this.crew().think, ...change } });
  }
  setSpread(kind: string): void {
    const { spread: _old, ...think } = this.crew().think;
    this.set({
      think:
        kind === 'uniform'
          ? { ...think, spread: { kind, percent: 30 } }
          : kind === 'log-normal'
            ? { ...think, spread: { kind, sigma: 0.4 } }
            : think,
    });
  }
  readonly browser = computed(() => this.crew().browser ?? plainBrowser);
  readonly timeouts = computed((): Timeouts => this.crew().timeouts ?? { connectMs: 10_000, answerMs: 60_000 });
  setTimeouts(change: { [K in keyof Timeouts]?: Timeouts[K] | undefined }): void {
    const { firstByteMs, ...rest } = { ...this.timeouts(), ...change };
    const { connectMs = 10_000, answerMs = 60_000 } = rest;
    this.set({ timeouts: { connectMs, answerMs, ...(firstByteMs === undefined ? {} : { firstByteMs }) } });
  }
  setLine(change: Partial<Line>): void {
    this.set({ line: { latencyMs: 0, downKbps: null, upKbps: null, ...this.crew().line, ...change } });
  }
  setBrowser(change: Partial<BrowserLikeness>): void {
    const browser = BrowserLikenessSchema.safeParse({ ...this.browser(), ...change });
    if (browser.success) this.set({ browser: browser.data });
  }
  setPacing(change: Partial<Pacing>): void {
    this.set({ pacing: { ...this.crew().pacing, ...change } });
  }
  /** Sizes the crew for a rate: users at its pacing, or the pacing where it has none. */
  size(ratePerHour: number): void {
    if (!(ratePerHour > 0)) return;
    const { pacing, users } = this.crew();
    if (pacing.kind === 'start-to-start' && pacing.seconds > 0 && !this.byShares())
      this.set({ users: Math.max(1, usersForRate(ratePerHour, pacing.seconds)) });
    else this.set({ pacing: { kind: 'start-to-start', seconds: Math.round(pacingForRate(ratePerHour, users) * 10) / 10 } });
  }
}
