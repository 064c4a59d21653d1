import { createActionGroup, emptyProps, props } from '@ngrx/store';
import type { ListedNotice, NoticeSettings } from '@sturdy/core';

/** Who is told of what, and what became of each notice. */
export const noticeActions = createActionGroup({
  source: 'Notice',
  events: {
    Asked: emptyProps(),
    'Settings loaded': props<{ settings: NoticeSettings }>(),
    'Settings wanted': props<{ settings: NoticeSettings }>(),
    'Settings saved': props<{ settings: NoticeSettings }>(),
    'Settings refused': emptyProps(),
    'List asked': emptyProps(),
    'List loaded': props<{ list: readonly ListedNotice[] }>(),
    'Trial wanted': props<{ group: string }>(),
    'Trial ended': props<{ notices: readonly ListedNotice[] }>(),
    'Trial failed': emptyProps(),
  },
});
