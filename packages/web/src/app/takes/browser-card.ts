import { Clipboard } from '@angular/cdk/clipboard';
import { ChangeDetectionStrategy, Component, computed, inject, input, linkedSignal, resource, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Store } from '@ngrx/store';
import { firstValueFrom } from 'rxjs';
import { projectFeature } from '../state/project.feature';
import type { RecordingState } from '@sturdy/core';
import { Api } from '../shared/api';
import { moment } from '../shared/format';
import { takesActions } from '../state/takes.actions';

/** How a browser or a device gets to the recorder: the clean browser, or address and certificate for any other. */
@Component({
  selector: 'app-browser-card',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FormsModule],
  template: `<section class="card-box pad">
    <h2>1 · Point a browser here</h2>
    <div class="fields">
      <label class="field">Address to open<input name="address" [ngModel]="address()" (ngModelChange)="address.set($event)" /></label>
      <button class="act" (click)="open()"><i class="bi bi-window-plus" aria-hidden="true"></i>Open a clean browser</button>
    </div>
    <p class="mt-2 mb-1">
      or any other: HTTP and HTTPS proxy <code class="proxy">{{ live().proxy }}</code>
      <button class="act slim" (click)="copy()"><i class="bi bi-copy" aria-hidden="true"></i>{{ copied() ? 'Copied' : 'Copy' }}</button>
    </p>
    @if (live().network; as network) {
      <p class="mb-1">
        From other devices: <code class="proxy">{{ network.addresses[0] ?? 'this machine' }} port {{ network.port }}</code
        >, user and password
        <code class="proxy">{{ network.password }}</code>
      </p>
    }
    @if (live().visitors.length > 0 && live().network) {
      <details class="mb-1">
        <summary>
          Used by {{ live().visitors.length }} {{ live().visitors.length === 1 ? 'device' : 'devices' }}
          @if (refused(); as count) {
            <b class="refused">· {{ count }} {{ count === 1 ? 'request' : 'requests' }} with a wrong password</b>
          }
        </summary>
        <table class="grid small" aria-label="Who uses the recorder">
          <thead>
            <tr>
              <th>Address</th>
              <th>Calls itself</th>
              <th>Last seen</th>
              <th class="num">Requests</th>
              <th class="num">Refused</th>
            </tr>
          </thead>
          <tbody>
            @for (visitor of live().visitors; track visitor.address) {
              <tr>
                <td class="mono">{{ visitor.address }}{{ visitor.isShutOut ? ' (shut out)' : '' }}</td>
                <td class="agent">{{ visitor.agent || 'nothing' }}</td>
                <td>{{ moment(visitor.lastAt) }}</td>
                <td class="num">{{ visitor.requests }}</td>
                <td class="num">{{ visitor.refused }}</td>
              </tr>
            }
          </tbody>
        </table>
      </details>
    }
    <p class="small mb-0">
      For HTTPS it has to trust the recorder:
      <a href="/api/recorder/certificate.crt" download>certificate</a> ·
      <button class="as-link" (click)="help.set(!help())" [attr.aria-expanded]="help()">how, and how to remove it afterwards</button>
    </p>
    @if (help()) {
      <div class="steps">
        <table class="grid small" aria-label="Steps for each place">
          <tbody>
            @for (step of certificate.value()?.steps ?? []; track step.where) {
              <tr>
                <td>
                  <b>{{ step.where }}</b>
                </td>
                <td>{{ step.trust }}</td>
                <td><span class="muted">Afterwards:</span> {{ step.remove }}</td>
              </tr>
            }
          </tbody>
        </table>
        <p class="muted small mb-0">
          A device that uses the proxy finds the same page at <span class="mono">http://certificate.sturdy/</span>. SHA-256
          <span class="mono finger">{{ certificate.value()?.fingerprint }}</span>
        </p>
      </div>
    }
  </section>`,
  styles: `
    h2 {
      margin-top: 0;
    }
    .field {
      flex: 1;
    }
    .proxy {
      margin-right: 6px;
      font-size: 13px;
      color: var(--ink);
      background: var(--sunk);
      padding: 2px 7px;
      border-radius: 5px;
    }
    .steps {
      margin-top: 6px;
      max-height: 240px;
      overflow: auto;
    }
    .agent {
      overflow-wrap: anywhere;
    }
    .refused {
      color: var(--bad);
    }
    .finger {
      overflow-wrap: anywhere;
    }
  `,
})
export class BrowserCard {
  readonly #store = inject(Store);
  readonly #api = inject(Api);
  readonly #clipboard = inject(Clipboard);
  readonly live = input.required<Pick<RecordingState, 'proxy' | 'network' | 'visitors'>>();
  readonly refused = computed(() => this.live().visitors.reduce((sum, visitor) => sum + visitor.refused, 0));
  readonly moment = moment;
  readonly #environment = this.#store.selectSignal(projectFeature.selectEnvironment);
  readonly #firstTarget = computed(() => this.#environment()?.targets[0]);
  readonly address = linkedSignal(() => `${this.#firstTarget() ?? 'http://127.0.0.1:4701'}/`);
  readonly copied = signal(false);
  readonly help = signal(false);
  readonly certificate = resource({
    params: () => (this.help() ? true : undefined),
    loader: () => firstValueFrom(this.#api.certificate()),
  });

  open(): void {
    this.#store.dispatch(takesActions.browserWanted({ address: this.address() }));
  }
  copy(): void {
    this.copied.set(this.#clipboard.copy(this.live().proxy));
  }
}
