import { ChangeDetectionStrategy, Component, input, signal } from '@angular/core';
import { failureKind, failureKindWords, wordsOfCode, type Failure } from '@sturdy/core';
import { clock } from '../shared/format';
import { ExchangeView } from './exchange-view';

/** Failures of a run, grouped by code: how often, where, when, what it means and what to do, with an example where one was captured. */
@Component({
  selector: 'app-failure-groups',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [ExchangeView],
  template: `@for (failure of failures(); track keyOf(failure)) {
      <div class="group">
        <b class="count">{{ failure.count }} ×</b>
        <div class="what">
          <div>
            <b>{{ titleOf(failure) }}</b> in <span class="mono">{{ stepNames().get(failure.step) ?? failure.step }}</span><span
              class="muted"
              >, from {{ clock(failure.firstSecond) }} to {{ clock(failure.lastSecond) }}</span
            >
          </div>
          <div>{{ failure.message }}</div>
          @if (!brief() && words(failure.code); as meaning) {
            <div class="muted">{{ meaning.meaning }} {{ meaning.advice }}</div>
          }
          @if (failure.example; as example) {
            <button class="act slim mt-1" (click)="toggle(failure)" [attr.aria-expanded]="open() === keyOf(failure)">
              {{ open() === keyOf(failure) ? 'Close the example' : 'Show an example' }}
            </button>
            @if (open() === keyOf(failure)) {
              <app-exchange-view [exchange]="example" />
            }
          }
        </div>
      </div>
    } @empty {
      <p class="muted m-0">{{ none() }}</p>
    }`,
  styles: `
    :host {
      display: block;
      font-size: 13px;
    }
    .group {
      display: flex;
      gap: 10px;
      padding: 8px 0;
      border-top: 1px solid var(--line);
      &:first-child {
        border-top: 0;
      }
    }
    .count {
      color: var(--red);
      white-space: nowrap;
      min-width: 40px;
    }
    .what {
      min-width: 0;
      flex: 1;
      overflow-wrap: anywhere;
    }
  `,
})
export class FailureGroups {
  readonly failures = input.required<readonly Failure[]>();
  /** Names of steps by their ids. */
  readonly stepNames = input.required<ReadonlyMap<string, string>>();
  /** Leaves out what the codes mean. */
  readonly brief = input(false);
  /** What stands where there is none. */
  readonly none = input('Nothing failed.');
  readonly open = signal<string | null>(null);
  readonly clock = clock;
  readonly words = wordsOfCode;

  keyOf(failure: Failure): string {
    return `${failure.crew} ${failure.step} ${failureKind(failure)}`;
  }

  /** Runs of earlier versions have no codes; there the sentence says it all. */
  titleOf(failure: Failure): string {
    return failure.code === '' ? 'failure' : failureKindWords(failureKind(failure));
  }

  toggle(failure: Failure): void {
    const key = this.keyOf(failure);
    this.open.update((open) => (open === key ? null : key));
  }
}
