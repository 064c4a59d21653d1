import { ChangeDetectionStrategy, Component, input } from '@angular/core';

/**
 * The page of a list: its heading with what can be done (`actions`), then a table, whose head and body it is given, or a hint where the list is empty
 * (`empty`). What stands between (`above`) is shown in both cases.
 */
@Component({
  selector: 'app-list-page',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `<div class="page">
    <div class="page-head">
      <h1>{{ heading() }}</h1>
      <span class="muted small">{{ hint() }}</span>
      <span class="grow"></span>
      <ng-content select="[actions]" />
    </div>
    <ng-content select="[above]" />
    @if (count() > 0) {
      <div class="card-box">
        <table class="grid" [attr.aria-label]="heading()">
          <ng-content select="thead" />
          <ng-content select="tbody" />
        </table>
      </div>
    } @else if (listed()) {
      <div class="card-box empty"><ng-content select="[empty]" /></div>
    }
  </div>`,
})
export class ListPage {
  readonly heading = input.required<string>();
  /** What the things of the list are, in a few words. */
  readonly hint = input('');
  readonly count = input.required<number>();
  /** True once the list has been read: before that nobody knows whether it is empty. */
  readonly listed = input.required<boolean>();
}
