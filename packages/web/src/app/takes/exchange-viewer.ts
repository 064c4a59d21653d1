import { Clipboard } from '@angular/cdk/clipboard';
import { ChangeDetectionStrategy, Component, computed, inject, input, effect, linkedSignal, model, signal } from '@angular/core';
import { DomSanitizer, type SafeResourceUrl } from '@angular/platform-browser';
import { NgbDropdownModule } from '@ng-bootstrap/ng-bootstrap/dropdown';
import { answerBody, answerHeaders, bodyKind, headersOf, sentHeaders, verbOf, type Exchange, type Header } from '@sturdy/core';
import { firstValueFrom } from 'rxjs';
import { Api } from '../shared/api';
import { bytes, figure } from '../shared/format';
import { SecretMask } from '../shared/secret-mask';
import { BodyView } from './body-view';
import { ExchangeCompare } from './exchange-compare';
import { HeaderList } from './header-list';
import { TimingBar } from './timing-bar';
import { WhyNot } from '../shared/why-not';

type Tab = 'Request' | 'Response' | 'Page' | 'Image' | 'Messages' | 'Timings' | 'Sent' | 'Answer' | 'Compare';

/** One exchange in full. */
@Component({
  selector: 'app-exchange-viewer',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [WhyNot, BodyView, ExchangeCompare, HeaderList, TimingBar, NgbDropdownModule],
  template: `<div class="pad top">
      <b class="mono address">{{ verb() }} {{ shownUrl() }}</b>
      <div class="tools">
        <span class="muted small">no. {{ exchange().n }} · {{ over() }}</span>
        <span class="grow"></span>
        <button
          class="act slim"
          (click)="pin()"
          [whyNot]="pinned()?.n === exchange().n && 'This exchange is kept for comparing already. Choose another one.'"
        >
          <i class="bi bi-pin-angle" aria-hidden="true"></i>{{ pinned()?.n === exchange().n ? 'Choose another' : 'Compare' }}
        </button>
        @if (request()) {
          <div ngbDropdown class="d-inline-block">
            <button class="act slim" ngbDropdownToggle><i class="bi bi-copy" aria-hidden="true"></i>{{ copied() || 'Copy' }}</button>
            <div ngbDropdownMenu>
              <button ngbDropdownItem (click)="copyCurl('masked')">as cURL, secrets masked</button>
              <button ngbDropdownItem (click)="copyCurl('shown')">as cURL with secrets</button>
              <a ngbDropdownItem [href]="har('masked')">as HAR, secrets masked</a>
              <a ngbDropdownItem [href]="har('shown')">as HAR with secrets</a>
            </div>
          </div>
        }
      </div>
    </div>
    <div class="tabs" role="tablist">
      @for (name of tabs(); track name) {
        <button role="tab" [class.on]="tab() === name" [attr.aria-selected]="tab() === name" (click)="chosen.set(name)">{{ name }}</button>
      }
    </div>
    <div class="pad scroll" tabindex="0" role="region" aria-label="Details of the exchange">
      @switch (tab()) {
        @case ('Sent') {
          @if (message()?.sent; as sent) {
            <app-body-view [body]="sent" [sought]="sought()" />
          } @else {
            <p class="muted">Nothing was sent.</p>
          }
        }
        @case ('Answer') {
          @if (message()?.answer; as answer) {
            <p class="muted small">
              {{ message()?.action === 'await' ? 'It came unasked.' : 'After ' + figure(exchange().durationMs) + ' ms' }}
            </p>
            <app-body-view [body]="answer" [sought]="sought()" />
          } @else {
            <p class="muted">No message answered it.</p>
          }
        }
        @case ('Request') {
          @if (query().length > 0) {
            <h3>Query</h3>
            <app-header-list [headers]="query()" />
          }
          @if (sentCookies().length > 0) {
            <h3>Cookies sent</h3>
            <app-header-list [headers]="sentCookies()" />
          }
          <h3>Headers</h3>
          <app-header-list [headers]="request()?.requestHeaders ?? []" />
          <h3>Body</h3>
          <app-body-view [body]="request()?.requestBody ?? null" [sought]="sought()" />
        }
        @case ('Response') {
          @if (request()?.failure; as failure) {
            <p class="note bad">{{ failure }}</p>
          }
          @if (request()?.response; as response) {
            <p class="mb-2">
              <b>{{ response.status }}</b> {{ response.statusText }} <span class="muted small">{{ response.httpVersion }}</span>
            </p>
            @if (setCookies().length > 0) {
              <h3>Cookies set</h3>
              <app-header-list [headers]="setCookies()" />
            }
            <h3>Headers</h3>
            <app-header-list [headers]="response.headers" />
            <h3>Body</h3>
            <app-body-view [body]="response.body" [sought]="sought()" />
          }
        }
        @case ('Page') {
          <p class="muted small">A picture of the page from the take's own files, without scripts.</p>
          <iframe [src]="pageUrl()" sandbox="" title="The recorded page, without scripts"></iframe>
        }
        @case ('Image') {
          <img class="picture" [src]="imageUrl()" alt="The recorded image" />
        }
        @case ('Messages') {
          <button class="act slim mb-2" (click)="shownMessages.set(!shownMessages())">
            {{ shownMessages() ? 'Mask secrets' : 'Show secrets' }}
          </button>
          <table class="grid" aria-label="Messages">
            <thead>
              <tr>
                <th class="num">At, s</th>
                <th>From</th>
                <th>Kind</th>
                <th class="num">Size</th>
                <th>Text</th>
              </tr>
            </thead>
            <tbody>
              @for (message of request()?.messages ?? []; track $index) {
                <tr>
                  <td class="num">{{ figure(message.atMs / 1000, 2) }}</td>
                  <td>{{ message.from === 'client' ? 'browser' : 'server' }}</td>
                  <td>{{ message.kind }}</td>
                  <td class="num">{{ bytes(message.size) }}</td>
                  <td class="mono said">
                    {{ message.kind === 'binary' ? message.base64 : shownMessages() ? message.text : mask.text(message.text) }}
                  </td>
                </tr>
              } @empty {
                <tr>
                  <td colspan="5" class="muted">No message was sent on it.</td>
                </tr>
              }
            </tbody>
          </table>
        }
        @case ('Timings') {
          @if (request(); as shownRequest) {
            <app-timing-bar [exchange]="shownRequest" />
          }
        }
        @case ('Compare') {
          @if (pinned(); as pinnedExchange) {
            @if (pinnedExchange.n === exchange().n) {
              <p class="muted">Choose another exchange in the list to compare it with this one.</p>
            } @else {
              <app-exchange-compare [first]="pinnedExchange" [second]="exchange()" />
            }
            <button class="act slim mt-2" (click)="unpin()">Stop comparing</button>
          }
        }
      }
    </div>`,
  styles: `
    :host {
      display: flex;
      flex-direction: column;
      min-height: 0;
      height: 100%;
    }
    .top {
      padding-bottom: 6px;
    }
    .address {
      display: block;
      max-height: 56px;
      overflow: auto;
      overflow-wrap: anywhere;
    }
    .tools {
      display: flex;
      gap: 6px;
      align-items: center;
      margin-top: 6px;
    }
    h3 {
      font-size: 12.5px;
      font-weight: 640;
      margin: 4px 0;
    }
    .scroll {
      overflow: auto;
      flex: 1;
      min-height: 0;
    }
    iframe {
      width: 100%;
      height: 460px;
      border: 1px solid var(--line);
      background: #fff;
    }
    .picture {
      max-width: 100%;
      border: 1px solid var(--line);
    }
    .said {
      overflow-wrap: anywhere;
      max-width: 170px;
    }
  `,
})
export class ExchangeViewer {
  readonly #api = inject(Api);
  readonly #clipboard = inject(Clipboard);
  readonly #sanitizer = inject(DomSanitizer);
  readonly mask = inject(SecretMask);
  readonly takeId = input.required<string>();
  readonly exchange = input.required<Exchange>();
  readonly sought = input('');
  /** The exchange that others are compared with. */
  readonly pinned = model<Exchange | null>(null);
  readonly chosen = linkedSignal<string, Tab>({ source: this.sought, computation: () => 'Response' });
  readonly copied = signal('');
  readonly bytes = bytes;
  readonly figure = figure;
  readonly shownMessages = signal(false);
  readonly shownUrl = computed(() => this.mask.url(this.exchange().url));
  readonly request = computed(() => {
    const exchange = this.exchange();
    return exchange.kind === 'request' ? exchange : null;
  });
  readonly message = computed(() => {
    const exchange = this.exchange();
    return exchange.kind === 'message' ? exchange : null;
  });
  readonly verb = computed(() => verbOf(this.exchange()));
  /** By which protocol it went, or over which WebSocket. */
  readonly over = computed(() => {
    const exchange = this.exchange();
    return exchange.kind === 'request' ? exchange.httpVersion : `over the WebSocket of no. ${exchange.openedBy}`;
  });
  readonly #type = computed(() => answerBody(this.exchange())?.mimeType ?? '');
  readonly tabs = computed((): Tab[] => {
    const compare = this.pinned() ? (['Compare'] as const) : [];
    const request = this.request();
    if (!request) return ['Sent', 'Answer', ...compare];
    return [
      'Request',
      'Response',
      ...(bodyKind(this.#type()) === 'html' ? ['Page' as const] : []),
      ...(this.#type().startsWith('image/') ? ['Image' as const] : []),
      ...(request.messages ? ['Messages' as const] : []),
      'Timings',
      ...compare,
    ];
  });
  readonly tab = computed(() => {
    if (this.tabs().includes(this.chosen())) return this.chosen();
    return this.request() ? 'Response' : this.message()?.answer ? 'Answer' : 'Sent';
  });
  readonly query = computed((): Header[] => [...new URL(this.exchange().url).searchParams]);
  readonly sentCookies = computed((): Header[] =>
    headersOf(sentHeaders(this.exchange()), 'cookie').flatMap((line) => line.split(/;\s*/).map((pair): Header => ['Cookie', pair])),
  );
  readonly setCookies = computed((): Header[] =>
    headersOf(answerHeaders(this.exchange()), 'set-cookie').map((line): Header => ['Set-Cookie', line]),
  );
  readonly pageUrl = computed((): SafeResourceUrl =>
    // Our own address; what it gives is served without scripts and shown in a sandbox.
    this.#sanitizer.bypassSecurityTrustResourceUrl(`/api/takes/${this.takeId()}/exchanges/${this.exchange().n}/page`),
  );
  readonly imageUrl = computed(() => `/api/takes/${this.takeId()}/file?url=${encodeURIComponent(this.exchange().url)}`);

  constructor() {
    effect(() => {
      void this.mask.look(this.takeId(), [this.exchange().n], []);
    });
  }

  har(secrets: 'masked' | 'shown'): string {
    return `/api/takes/${this.takeId()}/har?exchange=${this.exchange().n}&secrets=${secrets}`;
  }

  async copyCurl(secrets: 'masked' | 'shown'): Promise<void> {
    const { text } = await firstValueFrom(this.#api.curl(this.takeId(), this.exchange().n, secrets));
    this.copied.set(this.#clipboard.copy(text) ? 'Copied' : 'Could not copy');
  }

  pin(): void {
    if (this.pinned() === null) this.pinned.set(this.exchange());
    this.chosen.set('Compare');
  }

  unpin(): void {
    this.pinned.set(null);
  }
}
