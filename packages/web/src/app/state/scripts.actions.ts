import { createActionGroup, emptyProps, props } from '@ngrx/store';
import type { ListedPart } from '@sturdy/core';
import type { CorrelationReport, Rehearsal, RehearsalCommand, RehearsalWish, Round, Script, ScriptEdit } from '@sturdy/core';

/** A piece of another take, and where it goes. */
export interface TakePiece {
  takeId: string;
  from: number;
  to: number;
  after: string;
  instead: string[];
}

export const scriptsActions = createActionGroup({
  source: 'Scripts',
  events: {
    'List asked': emptyProps(),
    'List loaded': props<{ list: Script[] }>(),
    'Script opened': props<{ id: string }>(),
    'Script loaded': props<{ script: Script; rehearsals: Rehearsal[] }>(),
    Edited: props<{ edit: ScriptEdit }>(),
    Undone: emptyProps(),
    Redone: emptyProps(),
    'Text applied': props<{ script: Script }>(),
    /** `sent` is what was saved; what the server made of it may have other ids. `changedToo` names scripts that a part has changed. */
    Saved: props<{ sent: Script; script: Script; changedToo: string[] }>(),
    'Save failed': emptyProps(),
    /** The server changed the script as a whole. */
    Replaced: props<{ script: Script }>(),
    'Piece wanted': props<{ piece: TakePiece }>(),
    'Part wanted': props<{ transaction: string }>(),
    'Part use wanted': props<{ part: string; after: string | null }>(),
    'Parts asked': emptyProps(),
    'Parts loaded': props<{ parts: ListedPart[] }>(),
    'Step selected': props<{ step: string | null }>(),
    'Handoff selected': props<{ handoff: string | null }>(),
    'Correlate wanted': props<{ secondTakeId: string | null }>(),
    'Correlation cancelled': emptyProps(),
    'Work told': props<{ done: number; total: number }>(),
    Correlated: props<{ script: Script; report: CorrelationReport }>(),
    /** How it is to be played; null plays it straight through. */
    'Rehearse wanted': props<{ wish: RehearsalWish | null }>(),
    'Command given': props<{ command: RehearsalCommand }>(),
    'Mend wanted': props<{ rehearsal: string }>(),
    Mended: props<{ script: Script; report: CorrelationReport }>(),
    'Step played': props<{ step: string }>(),
    Rehearsed: props<{ rehearsal: Rehearsal }>(),
    'Repair wanted': emptyProps(),
    Repaired: props<{ script: Script; rounds: Round[] }>(),
    'Work failed': emptyProps(),
    'Hand off wanted': props<{ step: string; place: string; value: string }>(),
    Bound: props<{ script: Script }>(),
    'Delete wanted': props<{ id: string }>(),
  },
});
