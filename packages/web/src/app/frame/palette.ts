import { ChangeDetectionStrategy, Component, computed, inject, signal } from '@angular/core';
import { NgbActiveModal } from '@ng-bootstrap/ng-bootstrap/modal';
import { matchCommands, type Command } from './commands';

/** The command palette: type, choose, done. */
@Component({
  selector: 'app-palette',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `<div class="modal-body p-2">
    <input
      class="ask"
      aria-label="Go anywhere, do anything"
      placeholder="Go anywhere, do anything"
      ngbAutofocus
      role="combobox"
      aria-expanded="true"
      aria-controls="palette-list"
      [attr.aria-activedescendant]="found().length > 0 ? 'command-' + at() : null"
      (input)="type($any($event.target).value)"
      (keydown)="key($event)"
    />
    <ul id="palette-list" role="listbox" aria-label="Commands">
      @for (hit of found(); track $index) {
        <li
          role="option"
          [id]="'command-' + $index"
          [class.on]="$index === at()"
          [attr.aria-selected]="$index === at()"
          (click)="run(hit)"
          (keydown.enter)="run(hit)"
          tabindex="-1"
        >
          <i class="bi bi-{{ hit.icon }}" aria-hidden="true"></i><span>{{ hit.name }}</span
          ><span class="muted small">{{ hit.hint }}</span>
        </li>
      } @empty {
        <li class="muted" role="option" aria-selected="false">Nothing has that name.</li>
      }
    </ul>
  </div>`,
  styles: `
    .ask {
      width: 100%;
      font: 15px var(--ui);
      padding: 8px 10px;
      border: 1px solid var(--line-strong);
      border-radius: 6px;
      background: var(--paper);
      color: var(--ink);
    }
    ul {
      list-style: none;
      margin: 8px 0 0;
      padding: 0;
      max-height: 420px;
      overflow: auto;
    }
    li {
      display: grid;
      grid-template-columns: 24px 1fr auto;
      padding: 6px 10px;
      border-radius: 6px;
      cursor: pointer;
    }
    li.on,
    li:hover {
      background: var(--clay-soft);
    }
  `,
})
export class Palette {
  readonly modal = inject(NgbActiveModal);
  readonly commands = signal<readonly Command[]>([]);
  readonly typed = signal('');
  readonly at = signal(0);
  readonly found = computed(() => matchCommands(this.commands(), this.typed()));

  type(text: string): void {
    this.typed.set(text);
    this.at.set(0);
  }
  run(command: Command): void {
    this.modal.close();
    command.run();
  }
  key(event: KeyboardEvent): void {
    const found = this.found();
    if (event.key === 'ArrowDown') this.at.set(Math.min(found.length - 1, this.at() + 1));
    else if (event.key === 'ArrowUp') this.at.set(Math.max(0, this.at() - 1));
    else if (event.key === 'Enter') {
      const chosen = found[this.at()];
      if (chosen) this.run(chosen);
    } else return;
    event.preventDefault();
  }
}
