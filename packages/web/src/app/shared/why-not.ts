import { Directive, HostAttributeToken, computed, inject, input } from '@angular/core';

/** Disables a button for a reason, and says the reason where it is pointed at or read out: `[whyNot]="rows === 0 && 'The table has no row.'"`. */
@Directive({
  selector: 'button[whyNot]',
  host: { '[disabled]': 'reason() !== null', '[attr.title]': 'reason() ?? title', '[attr.aria-description]': 'reason()' },
})
export class WhyNot {
  /** Why the button cannot be pressed, in a sentence; false, null or undefined where it can. */
  readonly whyNot = input.required<string | false | null | undefined>();
  protected readonly reason = computed(() => {
    const why = this.whyNot();
    return typeof why === 'string' && why !== '' ? why : null;
  });
  /** What the button says of itself otherwise. */
  protected readonly title = inject(new HostAttributeToken('title'), { optional: true });
}
