import { ChangeDetectionStrategy, Component, computed, inject, signal } from '@angular/core';
import { NgbActiveModal } from '@ng-bootstrap/ng-bootstrap/modal';
import { describeCheck, recordedSteps, type Check, type CheckSuggestion, type DataTable, type Script } from '@sturdy/core';
import { Api, problemOf } from '../../shared/api';
import { namesFor, templateText } from './template-names';
import { WhyNot } from '../../shared/why-not';

/** Checks worth making for a whole script, all ticked; closes with those to be kept. */
@Component({
  selector: 'app-suggest-dialog',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [WhyNot],
  template: `<div class="modal-header">
      <h2 class="m-0">Suggested checks</h2>
      <button type="button" class="btn-close" aria-label="Close" (click)="modal.dismiss()"></button>
    </div>
    <div class="modal-body">
      @if (failure(); as sentence) {
        <p class="note bad" role="alert">{{ sentence }}</p>
      } @else if (suggestions() === null) {
        <p role="status">
          <span class="spinner-border spinner-border-sm me-2" aria-hidden="true"></span>Trying checks on every answer at hand
        </p>
      } @else if (suggestions()?.length === 0) {
        <p>Nothing is left to suggest: what the answers show is checked already, or not every good answer shows it.</p>
      } @else {
        <p class="muted small">
          Each of these holds on every good answer of the takes and the newest rehearsals. A failed check counts its step as failed.
        </p>
        <div class="list">
          @for (group of groups(); track group.step) {
            <b class="small d-block mt-2">{{ group.name }}</b>
            @for (proposal of group.all; track proposal.check.id) {
              <label class="d-flex gap-2 align-items-start small py-1"
                ><input type="checkbox" [checked]="!left().has(proposal)" (change)="toggle(proposal)" />
                <span
                  >{{ words(proposal.check) }}
                  <span class="muted">({{ proposal.heldOn }} {{ proposal.heldOn === 1 ? 'answer' : 'answers' }})</span></span
                ></label
              >
            }
          }
        </div>
      }
    </div>
    <div class="modal-footer">
      <button class="act" (click)="modal.dismiss()">Cancel</button>
      <button class="act main" (click)="done()" [whyNot]="kept().length === 0 && 'No check is ticked.'">
        Accept {{ kept().length }} checks
      </button>
    </div>`,
  styles: `
    .list {
      max-height: 46vh;
      overflow: auto;
    }
  `,
})
export class SuggestDialog {
  readonly modal = inject(NgbActiveModal);
  readonly #api = inject(Api);
  readonly script = signal<Script | null>(null);
  readonly tables = signal<readonly DataTable[]>([]);
  readonly suggestions = signal<readonly CheckSuggestion[] | null>(null);
  readonly left = signal<ReadonlySet<CheckSuggestion>>(new Set());
  readonly failure = signal<string | null>(null);
  readonly kept = computed(() => (this.suggestions() ?? []).filter((suggestion) => !this.left().has(suggestion)));
  readonly groups = computed(() => {
    const script = this.script();
    return script
      ? recordedSteps(script)
          .map(({ step, number }) => ({
            step: step.id,
            name: `${number} · ${step.name}`,
            all: (this.suggestions() ?? []).filter((suggestion) => suggestion.step === step.id),
          }))
          .filter((group) => group.all.length > 0)
      : [];
  });

  /** Asks for the suggestions of a script. */
  load(script: Script, tables: readonly DataTable[]): void {
    this.script.set(script);
    this.tables.set(tables);
    this.#api.checkSuggestions(script.id).subscribe({
      next: (all) => {
        this.suggestions.set(all);
      },
      error: (error: unknown) => {
        this.failure.set(problemOf(error));
      },
    });
  }
  words(check: Check): string {
    const script = this.script();
    return script ? describeCheck(check, (template) => templateText(template, namesFor(script, this.tables()))) : '';
  }
  toggle(suggestion: CheckSuggestion): void {
    const next = new Set(this.left());
    if (!next.delete(suggestion)) next.add(suggestion);
    this.left.set(next);
  }
  done(): void {
    this.modal.close(this.kept().map(({ step, check }) => ({ step, check })));
  }
}
