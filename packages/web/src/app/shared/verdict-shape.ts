import { ChangeDetectionStrategy, Component, computed, input } from '@angular/core';

const names: Record<string, string> = {
  proven: 'passed and proven',
  unproven: 'passed, unproven',
  passed: 'passed',
  drifted: 'drifted',
  failed: 'failed',
  'not-sent': 'not sent',
  none: 'not yet',
};

/** A verdict by its shape: disc in a ring proven, half a disc in a ring unproven, disc passed, wave drifted, snapped line failed, dashed ring not sent. */
@Component({
  selector: 'app-verdict',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `<svg width="14" height="14" viewBox="0 0 14 14" role="img" [attr.aria-label]="label()">
    @switch (verdict()) {
      @case ('proven') {
        <circle cx="7" cy="7" r="3.4" fill="var(--s0)" />
        <circle cx="7" cy="7" r="5.9" fill="none" stroke="var(--s0)" stroke-width="1.5" />
      }
      @case ('unproven') {
        <path d="M2.6 7a4.4 4.4 0 0 0 8.8 0z" fill="var(--s0)" />
        <circle cx="7" cy="7" r="4.9" fill="none" stroke="var(--s0)" stroke-width="1.5" stroke-dasharray="2.6 2" />
      }
      @case ('passed') {
        <circle cx="7" cy="7" r="4.5" fill="var(--s0)" />
      }
      @case ('drifted') {
        <path d="M1 8c2-5 4-5 6-1s4 4 6-1" fill="none" stroke="var(--ochre)" stroke-width="2.2" stroke-linecap="round" />
      }
      @case ('failed') {
        <path d="M7 0v4.6M7 9.4V14M4.2 5.6l2.2-1M7.6 9.4l2.2-1" stroke="var(--red)" stroke-width="2.3" stroke-linecap="round" />
      }
      @case ('not-sent') {
        <circle cx="7" cy="7" r="4.3" fill="none" stroke="var(--ink-3)" stroke-width="1.4" stroke-dasharray="2 2.2" />
      }
      @default {
        <circle cx="7" cy="7" r="2" fill="var(--line-strong)" />
      }
    }
  </svg>`,
  styles: `
    :host {
      display: inline-block;
      width: 14px;
      height: 14px;
      line-height: 0;
      vertical-align: -2px;
      flex: none;
    }
  `,
})
export class VerdictShape {
  readonly verdict = input.required<string>();
  readonly label = computed(() => names[this.verdict()] ?? 'not yet');
}
