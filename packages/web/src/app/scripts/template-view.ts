import { ChangeDetectionStrategy, Component, computed, input, output } from '@angular/core';
import { RouterLink } from '@angular/router';
import { NgbDropdownModule } from '@ng-bootstrap/ng-bootstrap/dropdown';
import type { PieceName, Script, Template } from '@sturdy/core';
import { hue } from '../shared/format';
import { madeNames } from './made-names';

interface Shown {
  kind: 'text' | 'handoff' | 'data' | 'made' | 'variable';
  text: string;
  title: string;
  colour: string | null;
  handoff: string | null;
  /** What the piece stands for; null for a text. */
  piece: PieceName | null;
}

/** A text with its moving pieces as chips. */
@Component({
  selector: 'app-template-view',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [RouterLink, NgbDropdownModule],
  template: `@for (piece of shown(); track $index) {
    @switch (piece.kind) {
      @case ('text') {
        <span>{{ piece.text }}</span>
      }
      @default {
        <span ngbDropdown container="body" class="menu">
          <button
            ngbDropdownToggle
            class="chip"
            [class.data]="piece.kind === 'data'"
            [class.made]="piece.kind === 'made'"
            [style.color]="piece.colour"
            [title]="piece.title"
          >
            {{ piece.text }}
          </button>
          <div ngbDropdownMenu>
            <h6 class="dropdown-header">{{ piece.title }}</h6>
            @if (piece.handoff) {
              <button ngbDropdownItem (click)="chosen.emit(piece.handoff)">Show its string</button>
              <a ngbDropdownItem [routerLink]="['/scripts', script().id, 'handoffs', piece.handoff]">How it is read</a>
            }
            @if (piece.piece; as namedPiece) {
              <button ngbDropdownItem (click)="putBack.emit({ everywhere: false, piece: namedPiece })">Send as recorded here</button>
              <button ngbDropdownItem (click)="putBack.emit({ everywhere: true, piece: namedPiece })">Send as recorded everywhere</button>
            }
          </div>
        </span>
      }
    }
  }`,
  styles: `
    :host {
      overflow-wrap: anywhere;
    }
    .chip {
      margin: 0 1px;
    }
    .chip::after {
      display: none;
    }
    .menu {
      display: inline;
    }
    .dropdown-header {
      max-width: 320px;
      white-space: normal;
      overflow-wrap: anywhere;
    }
  `,
})
export class TemplateView {
  readonly template = input.required<Template>();
  readonly script = input.required<Script>();
  readonly tables = input<Readonly<Record<string, string>>>({});
  readonly chosen = output<string>();
  /** A moving piece shall be sent as it was recorded. */
  readonly putBack = output<{ everywhere: boolean; piece: PieceName }>();
  readonly shown = computed(() => flatten(this.template(), this.script(), this.tables()));
}

function flatten(template: Template, script: Script, tables: Readonly<Record<string, string>>): Shown[] {
  return template.flatMap((piece): Shown[] => {
    switch (piece.kind) {
      case 'text':
        return [
          {
            kind: 'text',
            text: piece.text.length > 600 ? `${piece.text.slice(0, 600)}…` : piece.text,
            title: '',
            colour: null,
            handoff: null,
            piece: null,
          },
        ];
      case 'wrap':
        return flatten(piece.pieces, script, tables);
      case 'file':
        return [
          {
            kind: 'text',
            text: `[file, ${piece.end - piece.start} bytes]`,
            title: 'Sent as it was recorded.',
            colour: null,
            handoff: null,
            piece: null,
          },
        ];
      case 'handoff': {
        const index = script.handoffs.findIndex((candidate) => candidate.id === piece.handoff);
        const handoff = script.handoffs[index];
        return [
          {
            kind: 'handoff',
            text: handoff?.name ?? piece.handoff,
            title: `recorded: ${piece.recorded.slice(0, 80)}`,
            colour: hue(Math.max(0, index)),
            handoff: piece.handoff,
            piece: { kind: 'handoff', handoff: piece.handoff },
          },
        ];
      }
      case 'data':
        return [
          {
            kind: 'data',
            text: `${tables[piece.table] ?? 'data'} · ${piece.column}`,
            title: `recorded: ${piece.recorded}`,
            colour: null,
            handoff: null,
            piece: { kind: 'data', table: piece.table, column: piece.column },
          },
        ];
      case 'made': {
        const made = script.made.find((candidate) => candidate.id === piece.made);
        return [
          {
            kind: 'made',
            text: made ? madeNames[made.made].short : 'made',
            title: made?.reason ?? '',
            colour: null,
            handoff: null,
            piece: { kind: 'made', made: piece.made },
          },
        ];
      }
      case 'variable':
        return [
          {
            kind: 'variable',
            text: piece.name,
            title: `recorded: ${piece.recorded}`,
            colour: null,
            handoff: null,
            piece: { kind: 'variable', name: piece.name },
          },
        ];
    }
  });
}
