import { ChangeDetectionStrategy, Component, input } from '@angular/core';
import { RouterLink } from '@angular/router';
import { VersionPair, type VersionSource } from './version-pair';

/** The page of a document's versions: who changed what and when, two versions beside each other, and each to be had back. */
@Component({
  selector: 'app-history-page',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [RouterLink, VersionPair],
  template: `<div class="whole">
    <div class="page-head">
      <h1>
        <a [routerLink]="link()">{{ name() }}</a> · versions
      </h1>
      <span class="muted small">{{ hint() }}</span>
    </div>
    <app-version-pair [source]="source()" [others]="others()" [label]="label()" />
  </div>`,
  styles: `
    .whole {
      height: 100%;
      display: flex;
      flex-direction: column;
      padding: 14px 18px;
      min-height: 0;
    }
    h1 a {
      color: var(--ink);
    }
  `,
})
export class HistoryPage {
  /** Address of the document. */
  readonly link = input.required<readonly string[]>();
  readonly name = input.required<string>();
  readonly hint = input('who changed what, and when');
  readonly source = input.required<VersionSource>();
  /** Further documents that a version can be laid beside. */
  readonly others = input<readonly { key: string; name: string }[]>([]);
  /** What the text is, for screen readers. */
  readonly label = input.required<string>();
}
