import { ChangeDetectionStrategy, Component, input } from '@angular/core';
import type { UsedEnvironment } from '@sturdy/core';

/** Says beside a button that starts something that it goes to a production-like environment; nothing where it does not. */
@Component({
  selector: 'app-production-sign',
  changeDetection: ChangeDetectionStrategy.OnPush,
  // Where it says nothing it takes no room between its neighbours.
  host: { '[class.d-none]': '!environment()?.productionLike' },
  template: `@if (environment(); as used) {
    @if (used.productionLike) {
      <span class="sign"><i class="bi bi-exclamation-triangle" aria-hidden="true"></i>{{ used.name }} is production-like</span>
    }
  }`,
  styles: `
    .sign {
      display: inline-flex;
      gap: 6px;
      align-items: center;
      border: 1.5px solid var(--red);
      border-radius: 6px;
      padding: 3px 9px;
      font: 600 12.5px var(--ui);
      color: var(--red);
      background: var(--red-soft);
      white-space: nowrap;
    }
  `,
})
export class ProductionSign {
  readonly environment = input.required<UsedEnvironment | null | undefined>();
}
