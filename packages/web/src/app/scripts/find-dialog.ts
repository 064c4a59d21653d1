import { ChangeDetectionStrategy, Component, computed, inject, signal } from '@angular/core';
import { NgbActiveModal } from '@ng-bootstrap/ng-bootstrap/modal';
import { allSteps, findInScript, FindWishSchema, replaceInScript, type FindHit, type FindWish, type Script } from '@sturdy/core';
import { figure } from '../shared/format';
import { WhyNot } from '../shared/why-not';

const shownHits = 300;

/** Finds a text in a whole script, shows each place with what would stand there, and closes with the script in which the ticked ones are replaced. */
@Component({
  selector: 'app-find-dialog',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [WhyNot],
  template: `<div class="modal-header">
      <h2 class="m-0">Find and replace in the script</h2>
      <button type="button" class="btn-close" aria-label="Close" (click)="modal.dismiss()"></button>
    </div>
    <div class="modal-body">
      <div class="two">
        <label class="field">Find <input class="mono" [value]="text()" #wanted (input)="text.set(wanted.value)" /></label>
        <label class="field">Replace by <input class="mono" [value]="by()" #instead (input)="by.set(instead.value)" /></label>
      </div>
      <div class="d-flex gap-3 mt-1 small">
        <label class="d-flex"><input type="checkbox" [checked]="anyCase()" (change)="anyCase.set(!anyCase())" />whatever the case</label>
        <label class="d-flex"
          ><input type="checkbox" [checked]="expression()" (change)="expression.set(!expression())" />an expression; $1 is its first
          group</label
        >
      </div>
      @if (found().problem; as sentence) {
        <p class="note bad mt-2 mb-0" role="alert">{{ sentence }}</p>
      } @else if (text() !== '') {
        <b class="small d-block mt-2" role="status"
          >{{ figure(hits().length) }} {{ hits().length === 1 ? 'place' : 'places'
          }}{{ hits().length > shown ? ', the first ' + shown + ' are shown' : '' }}</b
        >
        <div class="list" tabindex="0" role="region" aria-label="Places">
          @for (hit of hits().slice(0, shown); track hit.key) {
            <label class="hit"
              ><input type="checkbox" [checked]="!left().has(hit.key)" (change)="toggle(hit)" />
              <span class="small muted">{{ nameOf(hit.id) }} · {{ hit.where }}</span>
              <span class="mono text"
                >{{ hit.around.before }}<del>{{ hit.around.found }}</del>
                @if (by() !== '') {
                  <ins>{{ hit.instead }}</ins>
                }
                {{ hit.around.after }}</span
              ></label
            >
          }
        </div>
      } @else {
        <p class="muted small mt-2 mb-0">
          The search covers names, addresses, headers, bodies, checks, conditions, code and comments. Moving values stay as they are.
        </p>
      }
    </div>
    <div class="modal-footer">
      <button class="act" (click)="modal.dismiss()">Cancel</button>
      <button class="act main" (click)="done()" [whyNot]="kept().length === 0 && 'No place is ticked.'">
        Replace in {{ figure(kept().length) }} {{ kept().length === 1 ? 'place' : 'places' }}
      </button>
    </div>`,
  styles: `
    .two {
      display: grid;
      grid-template-columns: 1fr 1fr;
      gap: 12px;
    }
    .list {
      max-height: 44vh;
      overflow: auto;
    }
    .hit {
      display: grid;
      grid-template-columns: auto 1fr;
      gap: 0 6px;
      padding: 4px 0;
      border-bottom: 1px solid var(--line);
    }
    .text {
      grid-column: 2;
      overflow-wrap: anywhere;
    }
    del {
      background: var(--red-soft);
      color: var(--ink);
    }
    ins {
      background: var(--teal-soft);
      color: var(--ink);
      text-decoration: none;
    }
  `,
})
export class FindDialog {
  readonly modal = inject(NgbActiveModal);
  readonly script = signal<Script | null>(null);
  readonly text = signal('');
  readonly by = signal('');
  readonly anyCase = signal(false);
  readonly expression = signal(false);
  readonly left = signal<ReadonlySet<string>>(new Set());
  readonly shown = shownHits;
  readonly figure = figure;
  readonly #wish = computed<FindWish>(() => ({ text: this.text(), expression: this.expression(), anyCase: this.anyCase() }));
  readonly found = computed((): { hits: FindHit[]; problem: string | null } => {
    const script = this.script();
    const wish = FindWishSchema.safeParse(this.#wish());
    if (!script || !wish.success) return { hits: [], problem: null };
    try {
      return { hits: findInScript(script, wish.data, this.by()), problem: null };
    } catch (error) {
      return { hits: [], problem: `The expression is not valid: ${error instanceof Error ? error.message : String(error)}` };
    }
  });
  readonly hits = computed(() => this.found().hits);
  readonly kept = computed(() => this.hits().filter((hit) => !this.left().has(hit.key)));
  readonly #names = computed(() => {
    const script = this.script();
    return new Map(
      script?.transactions.flatMap((transaction) => [
        [transaction.id, transaction.name] as const,
        ...allSteps(transaction.steps).map((step) => [step.id, 'name' in step ? step.name : step.kind] as const),
      ]),
    );
  });

  nameOf(id: string): string {
    return this.#names().get(id) ?? id;
  }
  toggle({ key }: FindHit): void {
    const next = new Set(this.left());
    if (!next.delete(key)) next.add(key);
    this.left.set(next);
  }
  done(): void {
    const script = this.script();
    if (script)
      this.modal.close(
        replaceInScript(
          script,
          this.#wish(),
          this.by(),
          this.kept().map((hit) => hit.key),
        ),
      );
  }
}
