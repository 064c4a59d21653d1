import { inject, Injectable } from '@angular/core';
import { NgbModal } from '@ng-bootstrap/ng-bootstrap/modal';
import { Store } from '@ngrx/store';
import type { Check, DataTable, Script } from '@sturdy/core';
import type { CountedTake } from '@sturdy/core';
import { FindDialog } from './find-dialog';
import { scriptsActions } from '../state/scripts.actions';
import { SuggestDialog } from './steps/suggest-dialog';
import { TakePieceDialog, type PieceChoice } from './take-piece-dialog';

/** Opens the dialogs of the script screen, and does what they were closed with. */
@Injectable({ providedIn: 'root' })
export class ScriptDialogs {
  readonly #modals = inject(NgbModal);
  readonly #store = inject(Store);

  #open<D>(dialog: new (...args: never[]) => D, start: (dialog: D) => void, done: (result: never) => void): void {
    const modal = this.#modals.open(dialog, { size: 'lg' });
    start(modal.componentInstance as D);
    modal.result.then(done as (result: unknown) => void, () => undefined);
  }

  suggestChecks(script: Script, tables: readonly DataTable[]): void {
    this.#open(
      SuggestDialog,
      (dialog) => {
        dialog.load(script, tables);
      },
      (checks: { step: string; check: Check }[]) => {
        this.#store.dispatch(scriptsActions.edited({ edit: { kind: 'add-checks', checks } }));
      },
    );
  }

  findAndReplace(script: Script): void {
    this.#open(
      FindDialog,
      (dialog) => {
        dialog.script.set(script);
      },
      ({ transactions }: Script) => {
        this.#store.dispatch(scriptsActions.edited({ edit: { kind: 'set-transactions', transactions } }));
      },
    );
  }

  /** Puts a piece of another take behind a step or transaction, or in the place of the steps that are chosen. */
  insertFromTake(takes: readonly CountedTake[], after: string, chosen: readonly string[]): void {
    this.#open(
      TakePieceDialog,
      (dialog) => {
        dialog.start(takes, chosen.length);
      },
      ({ instead, ...piece }: PieceChoice) => {
        this.#store.dispatch(scriptsActions.pieceWanted({ piece: { ...piece, after, instead: instead ? [...chosen] : [] } }));
      },
    );
  }
}
