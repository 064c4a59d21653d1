import { ChangeDetectionStrategy, Component, input, output } from '@angular/core';
import type { PieceName, Script, Template } from '@sturdy/core';
import { TemplateView } from '../template-view';

/** A body or a message that a step sends, with its chips, in a box of its own. */
@Component({
  selector: 'app-sent-body',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [TemplateView],
  template: `<div class="muted small">{{ label() }}</div>
    <div class="bodybox mono">
      <app-template-view
        [template]="body()"
        [script]="script()"
        [tables]="tables()"
        (chosen)="chosen.emit($event)"
        (putBack)="putBack.emit($event)"
      />
    </div>`,
  styles: `
    :host {
      display: block;
    }
    .bodybox {
      background: var(--paper);
      border: 1px solid var(--line);
      border-radius: 6px;
      padding: 9px 11px;
      line-height: 1.9;
      overflow-wrap: anywhere;
    }
  `,
})
export class SentBody {
  readonly label = input.required<string>();
  readonly body = input.required<Template>();
  readonly script = input.required<Script>();
  /** Names of the data tables by their ids. */
  readonly tables = input.required<Record<string, string>>();
  /** A handoff whose string is to be shown. */
  readonly chosen = output<string>();
  readonly putBack = output<{ everywhere: boolean; piece: PieceName }>();
}
