import { ChangeDetectionStrategy, Component, computed, input, model, output } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { RouterLink } from '@angular/router';
import { type Suspicion, type Survey, type Tidy } from '@sturdy/core';
import { bytes, figure } from '../shared/format';

const roles = { application: 'application', content: 'files only', telemetry: 'measuring', other: 'third party' };

/** The pass over a take before it becomes a script: what is suspicious, and what stays. */
@Component({
  selector: 'app-tidy-panel',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FormsModule, RouterLink],
  template: `<section>
      <h2>Suspicious</h2>
      @for (finding of survey().findings; track $index) {
        <div class="note" [class.warn]="grave(finding)">
          <span>{{ finding.sentence }}</span>
          <span class="acts">
            @if (finding.exchanges[0]; as n) {
              <button class="act slim" (click)="shown.emit(n)">Show no. {{ n }}</button>
            }
            @if (finding.action; as action) {
              @if (action.drop; as drop) {
                <button class="act slim" (click)="toggleDropped(drop)">{{ allDropped(drop) ? 'Keep after all' : action.label }}</button>
              } @else if (action.go === 'record') {
                <a class="act slim" routerLink="/takes/record">{{ action.label }}</a>
              } @else if (action.go === 'environment') {
                <button class="act slim" (click)="environment.emit()">{{ action.label }}</button>
              }
            }
          </span>
        </div>
      } @empty {
        <p class="note good">Nothing suspicious. The take starts outside a session, and everything in it was answered.</p>
      }
    </section>
    <section>
      <h2>Hosts</h2>
      <table class="grid card-box" aria-label="Hosts">
        <thead>
          <tr>
            <th>Stays</th>
            <th>Host</th>
            <th>Is</th>
            <th class="num">Requests</th>
            <th class="num">Failed</th>
            <th class="num">Bytes</th>
          </tr>
        </thead>
        <tbody>
          @for (host of survey().hosts; track host.origin) {
            <tr>
              <td>
                <label class="check"
                  ><input type="checkbox" [checked]="!tidy().leftOut.includes(host.origin)" (change)="toggleHost(host.origin)" /><span
                    class="visually-hidden"
                    >{{ host.origin }} stays</span
                  ></label
                >
              </td>
              <td class="mono">{{ host.origin }}</td>
              <td [title]="host.reason">
                {{ roles[host.role] }}
                <div class="muted small">{{ host.reason }}</div>
              </td>
              <td class="num">{{ host.requests }}</td>
              <td class="num">{{ host.failed }}</td>
              <td class="num">{{ bytes(host.bytes) }}</td>
            </tr>
          }
        </tbody>
      </table>
    </section>
    <section><ng-content /></section>
    <section>
      <h2>What becomes of the rest</h2>
      <div class="choices">
        <label class="field"
          >Static files: {{ survey().staticFiles.requests }}, {{ bytes(survey().staticFiles.bytes)
          }}<select [ngModel]="tidy().staticFiles" (ngModelChange)="change({ staticFiles: $event })">
            <option value="drop">drop them</option>
            <option value="keep">keep them, side by side as they were asked for</option>
          </select></label
        >
        <label class="field"
          >Measuring requests: {{ survey().telemetry.requests
          }}<select [ngModel]="tidy().telemetry" (ngModelChange)="change({ telemetry: $event })">
            <option value="drop">drop them</option>
            <option value="keep">keep them</option>
          </select></label
        >
        <label class="field"
          >Redirects: {{ survey().redirects.requests }} in {{ survey().redirects.chains }}
          {{ survey().redirects.chains === 1 ? 'chain' : 'chains'
          }}<select [ngModel]="tidy().foldRedirects" (ngModelChange)="change({ foldRedirects: $event })">
            <option [ngValue]="true">follow each chain in one step</option>
            <option [ngValue]="false">a step of its own for each</option>
          </select></label
        >
        <label class="field"
          >Overlapped in time: {{ survey().sideBySide.requests }} in {{ survey().sideBySide.groups }}
          {{ survey().sideBySide.groups === 1 ? 'group' : 'groups'
          }}<select [ngModel]="tidy().sideBySide" (ngModelChange)="change({ sideBySide: $event })">
            <option [ngValue]="true">play side by side</option>
            <option [ngValue]="false">play one after another</option>
          </select></label
        >
        <label class="field"
          >Longest pause kept, s; the longest is {{ figure(survey().pauses.longestMs / 1000, 1)
          }}<input
            type="number"
            min="0"
            max="3600"
            [ngModel]="tidy().longestPauseMs / 1000"
            (ngModelChange)="change({ longestPauseMs: 1000 * ($event ?? 0) })"
        /></label>
      </div>
      @for (poll of survey().polls; track poll.key) {
        <div class="note poll">
          <span
            ><b class="mono">{{ poll.name }}</b> was asked {{ poll.exchanges.length }} times, every {{ figure(poll.everyMs / 1000, 1) }} s,
            {{ poll.sameAnswer ? 'with the same answer each time: a heartbeat.' : 'by the page itself: polling.' }}</span
          >
          <label class="field"
            ><span class="visually-hidden">What becomes of {{ poll.name }}</span
            ><select [ngModel]="tidy().polls[poll.key] ?? 'keep'" (ngModelChange)="setPoll(poll.key, $event)">
              <option value="repeat">make one repeat of it</option>
              <option value="drop">drop it</option>
              <option value="keep">keep each as recorded</option>
            </select></label
          >
        </div>
      }
    </section>`,
  styles: `
    :host {
      display: block;
      overflow: auto;
      height: 100%;
      padding-bottom: 20px;
    }
    .note {
      display: flex;
      gap: 12px;
      align-items: start;
      justify-content: space-between;
    }
    .acts {
      display: flex;
      gap: 6px;
      flex: none;
    }
    .choices {
      display: grid;
      grid-template-columns: repeat(auto-fill, minmax(250px, 1fr));
      gap: 10px 14px;
      margin-bottom: 12px;
    }
    .choices .field {
      align-content: end;
    }
    .poll .field {
      min-width: 210px;
    }
    .check {
      display: inline-flex;
    }
    h2 {
      margin: 16px 0 6px;
    }
    section:first-child h2 {
      margin-top: 4px;
    }
  `,
})
export class TidyPanel {
  readonly survey = input.required<Survey>();
  readonly tidy = model.required<Tidy>();
  /** An exchange to be shown. */
  readonly shown = output<number>();
  readonly environment = output();
  readonly roles = roles;
  readonly bytes = bytes;
  readonly figure = figure;
  readonly #dropped = computed(() => new Set(this.tidy().dropped));

  grave(finding: Suspicion): boolean {
    return finding.kind !== 'not-playable' && finding.kind !== 'refused-host' && finding.kind !== 'unasked';
  }

  change(change: Partial<Tidy>): void {
    this.tidy.set({ ...this.tidy(), ...change });
  }

  toggleHost(origin: string): void {
    const { leftOut } = this.tidy();
    this.change({ leftOut: leftOut.includes(origin) ? leftOut.filter((listed) => listed !== origin) : [...leftOut, origin] });
  }

  setPoll(key: string, choice: 'keep' | 'repeat' | 'drop'): void {
    this.change({ polls: { ...this.tidy().polls, [key]: choice } });
  }

  allDropped(numbers: readonly number[]): boolean {
    return numbers.every((n) => this.#dropped().has(n));
  }

  toggleDropped(numbers: readonly number[]): void {
    const { dropped } = this.tidy();
    this.change({
      dropped: this.allDropped(numbers) ? dropped.filter((n) => !numbers.includes(n)) : [...new Set([...dropped, ...numbers])],
    });
  }
}
