import { ChangeDetectionStrategy, Component, input } from '@angular/core';
import type { CapturedLine } from '@sturdy/core';
import { figure } from '../shared/format';

/** A line as it was sent while playing, and the line that answered it. */
@Component({
  selector: 'app-line-view',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `<div class="card-box pad mt-2">
    <p class="muted small mb-2">{{ line().origin }}, {{ figure(line().durationMs) }} ms</p>
    <h2>Sent</h2>
    <pre class="body" tabindex="0">{{ line().sent ?? 'Nothing was sent.' }}</pre>
    <h2 class="mt-3">Answering line</h2>
    <pre class="body" tabindex="0">{{ line().answer ?? line().failure ?? 'No line was awaited.' }}</pre>
  </div>`,
})
export class LineView {
  readonly line = input.required<CapturedLine>();
  readonly figure = figure;
}
