import { ChangeDetectionStrategy, Component, computed, inject, signal } from '@angular/core';
import { NgbActiveModal } from '@ng-bootstrap/ng-bootstrap/modal';
import { FindingRulesSchema, plainRules, type FindingRules, type HostRule } from '@sturdy/core';
import { nextId } from '../shared/next-id';
import { NumberField } from '../shared/number-field';
import { WhyNot } from '../shared/why-not';

/** What the analysis of runs goes by: limits of figures of hosts, and what is taken for chance. */
@Component({
  selector: 'app-rules-dialog',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [NumberField, WhyNot],
  template: `<form class="form-contents" (submit)="$event.preventDefault(); save()">
    <div class="modal-header">
      <h2 class="m-0">Rules of the analysis</h2>
      <button type="button" class="btn-close" aria-label="Close" (click)="modal.dismiss()"></button>
    </div>
    <div class="modal-body">
      <p class="muted small">
        A figure of a host above its limit for so long is told as a finding. The limits that ship are common practice. They hold for all
        runs of the project, for those that have ended, too.
      </p>
      <div class="scroll" tabindex="0" role="region" aria-label="Rules about hosts">
        <table class="grid">
          <thead>
            <tr>
              <th>What it says</th>
              <th>Figures (expression)</th>
              <th>Unit</th>
              <th>Limit</th>
              <th>For, s</th>
              <th>Weight</th>
              <th><span class="visually-hidden">Remove</span></th>
            </tr>
          </thead>
          <tbody>
            @for (rule of rules().hostRules; track rule.id; let at = $index) {
              <tr>
                <td>
                  <input
                    [value]="rule.name"
                    #name
                    [attr.aria-label]="'Name of rule ' + (at + 1)"
                    (change)="set(at, { name: name.value })"
                  />
                </td>
                <td>
                  <input
                    class="mono"
                    [value]="rule.figure"
                    #figure
                    [attr.aria-label]="'Figures of rule ' + (at + 1)"
                    (change)="set(at, { figure: figure.value })"
                  />
                </td>
                <td>
                  <input
                    class="short"
                    [value]="rule.unit ?? ''"
                    #unit
                    [attr.aria-label]="'Unit of rule ' + (at + 1)"
                    placeholder="any"
                    (change)="set(at, { unit: unit.value.trim() === '' ? null : unit.value.trim() })"
                  />
                </td>
                <td>
                  <input
                    class="short"
                    type="number"
                    step="any"
                    [value]="rule.limit"
                    #limit
                    [attr.aria-label]="'Limit of rule ' + (at + 1)"
                    (change)="set(at, { limit: +limit.value })"
                  />
                </td>
                <td>
                  <input
                    class="short"
                    type="number"
                    min="1"
                    max="3600"
                    [value]="rule.forSeconds"
                    #length
                    [attr.aria-label]="'Seconds of rule ' + (at + 1)"
                    (change)="set(at, { forSeconds: +length.value })"
                  />
                </td>
                <td>
                  <select #weight [attr.aria-label]="'Weight of rule ' + (at + 1)" (change)="setSeverity(at, weight.value)">
                    @for (severity of severities; track severity) {
                      <option [value]="severity" [selected]="severity === rule.severity">{{ severity }}</option>
                    }
                  </select>
                </td>
                <td>
                  <button type="button" class="act slim" (click)="remove(at)" [attr.aria-label]="'Remove rule ' + (at + 1)">
                    <i class="bi bi-trash" aria-hidden="true"></i>
                  </button>
                </td>
              </tr>
            }
          </tbody>
        </table>
      </div>
      <button type="button" class="act slim mt-2" (click)="add()"><i class="bi bi-plus-lg" aria-hidden="true"></i>Add a rule</button>
      <h2>What is told at all</h2>
      <div class="fields">
        <app-number-field
          label="Rank correlation from"
          [value]="rules().leastCorrelation"
          [min]="0"
          [max]="1"
          hint="A figure of a host that moves with response time less than this is not told."
          (changed)="change({ leastCorrelation: $event })"
        />
        <app-number-field
          label="Difference from, %"
          [value]="rules().leastShare * 100"
          [min]="0"
          [max]="100"
          hint="A drift, a step or a difference of groups below this share of the level is not told."
          (changed)="change({ leastShare: $event / 100 })"
        />
        <app-number-field
          label="Chance up to, %"
          [value]="rules().mostChance * 100"
          [min]="0"
          [max]="50"
          hint="What would come about by chance more often than this is taken for chance."
          (changed)="change({ mostChance: $event / 100 })"
        />
      </div>
      @if (problem(); as sentence) {
        <p class="note bad mt-2 mb-0" role="alert">{{ sentence }}</p>
      }
    </div>
    <div class="modal-footer">
      <button type="button" class="act" (click)="rules.set(plainRules)">As they ship</button>
      <span class="grow"></span>
      <button type="button" class="act" (click)="modal.dismiss()">Cancel</button>
      <button class="act main" [whyNot]="problem()">Save</button>
    </div>
  </form>`,
  styles: `
    .scroll {
      max-height: 340px;
      overflow: auto;
    }

    td {
      padding: 4px 6px;
    }

    td input,
    td select {
      width: 100%;
      min-height: 26px;
      color: var(--ink);
      background: var(--surface);
      border: 1px solid var(--line-strong);
      border-radius: 6px;
      padding: 2px 6px;
    }

    .short {
      max-width: 84px;
    }

    app-number-field {
      width: 150px;
    }
  `,
})
export class RulesDialog {
  readonly modal = inject(NgbActiveModal);
  readonly plainRules = plainRules;
  readonly severities = ['grave', 'notable', 'hint'] as const;
  readonly rules = signal<FindingRules>(plainRules);
  readonly problem = computed(() => {
    const { error } = FindingRulesSchema.safeParse(this.rules());
    if (!error) return null;
    return error.issues.map(({ message, path }) => `${typeof path[1] === 'number' ? `Rule ${path[1] + 1}: ` : ''}${message}`).join(' ');
  });

  change(change: Partial<FindingRules>): void {
    this.rules.update((rules) => ({ ...rules, ...change }));
  }
  set(at: number, change: Partial<HostRule>): void {
    this.change({ hostRules: this.rules().hostRules.map((rule, place) => (place === at ? { ...rule, ...change } : rule)) });
  }
  setSeverity(at: number, severity: string): void {
    this.set(at, { severity: this.severities.find((known) => known === severity) ?? 'notable' });
  }
  remove(at: number): void {
    this.change({ hostRules: this.rules().hostRules.filter((_, place) => place !== at) });
  }
  add(): void {
    const { hostRules } = this.rules();
    const rule: HostRule = {
      id: nextId('own', hostRules),
      figure: 'queue',
      unit: null,
      limit: 100,
      forSeconds: 10,
      severity: 'notable',
      name: 'A queue is long',
      explanation: 'A limit that this project set.',
    };
    this.change({ hostRules: [...hostRules, rule] });
  }
  save(): void {
    if (this.problem() === null) this.modal.close(this.rules());
  }
}
