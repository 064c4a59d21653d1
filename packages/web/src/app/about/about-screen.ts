import { ChangeDetectionStrategy, Component, computed, inject, resource, signal } from '@angular/core';
import { firstValueFrom } from 'rxjs';
import { Api, problemOf } from '../shared/api';
import { bytes, figure, moment } from '../shared/format';
import { VerdictShape } from '../shared/verdict-shape';

/** What an administrator asks about this server: version, health, sizes, what its last stop interrupted, and its last warnings. */
@Component({
  selector: 'app-about-screen',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [VerdictShape],
  template: `<div class="page">
    <div class="page-head">
      <h1>About this server</h1>
      <span class="grow"></span>
      <button class="act" [disabled]="backup()?.state === 'making'" (click)="backUp()">
        <i class="bi bi-safe" aria-hidden="true"></i>Back up everything
      </button>
      <button class="act" (click)="about.reload()"><i class="bi bi-arrow-clockwise" aria-hidden="true"></i>Ask again</button>
    </div>
    @if (backup(); as backup) {
      <p class="note" [class.bad]="backup.state === 'failed'" role="status">{{ backup.text }}</p>
    }
    @if (about.error(); as error) {
      <p class="note bad" role="alert">The server gave no figures about itself: {{ error.message }}. Try again in a moment.</p>
    } @else if (told(); as server) {
      <div class="cards">
        <section class="card-box pad" aria-labelledby="health">
          <h2 id="health">Health</h2>
          @for (healthSign of server.health; track healthSign.what) {
            <p class="state">
              <app-verdict [verdict]="healthSign.isGood ? 'passed' : 'failed'" /><b>{{ healthSign.what }}</b>
              <span>{{ healthSign.text }}</span>
            </p>
          }
        </section>
        <section class="card-box pad" aria-labelledby="interrupted">
          <h2 id="interrupted">What the last stop interrupted</h2>
          @for (run of server.interrupted.runs; track run) {
            <p class="mb-1">
              <b>Run {{ run }}</b
              >: its figures up to the last flush are kept; rows that were leased count as spent.
            </p>
          }
          @for (take of server.interrupted.takes; track take) {
            <p class="mb-1">
              <b>The recording of “{{ take }}”</b>: all that was counted is in the take.
            </p>
          }
          @if (server.interrupted.exchanges > 0) {
            <p class="mb-1">{{ server.interrupted.exchanges }} recorded answers came in from the journal.</p>
          }
          @if (isQuiet()) {
            <p class="muted mb-0">Nothing was interrupted.</p>
          }
        </section>
        <section class="card-box pad" aria-labelledby="version">
          <h2 id="version">Version</h2>
          <dl>
            <dt>Sturdy Puppet</dt>
            <dd>{{ server.version }}</dd>
            <dt>Started</dt>
            <dd>{{ moment(server.startedAt) }}</dd>
            <dt>On</dt>
            <dd>Node.js {{ server.node }}, {{ server.system }}, process {{ server.pid }}</dd>
            <dt>Memory</dt>
            <dd>{{ bytes(server.memoryBytes) }}</dd>
          </dl>
        </section>
        <section class="card-box pad" aria-labelledby="kept">
          <h2 id="kept">What is kept, and where</h2>
          <table class="grid">
            <thead>
              <tr>
                <th>What</th>
                <th>Where</th>
                <th class="num">Size</th>
              </tr>
            </thead>
            <tbody>
              <tr>
                <td>Database, {{ server.database.kind }}</td>
                <td class="mono where">{{ server.database.place }}</td>
                <td class="num">{{ server.database.bytes === null ? 'not known' : bytes(server.database.bytes) }}</td>
              </tr>
              @for (folder of server.folders; track folder.path) {
                <tr>
                  <td>{{ folder.what }}</td>
                  <td class="mono where">{{ folder.path }}</td>
                  <td class="num">{{ bytes(folder.bytes) }}</td>
                </tr>
              }
            </tbody>
          </table>
          @if (server.disk; as disk) {
            <p class="muted small mt-2 mb-0">
              Left on the disk: {{ bytes(disk.freeBytes) }} of {{ bytes(disk.totalBytes) }} ({{
                figure((100 * disk.freeBytes) / disk.totalBytes)
              }}
              %).
            </p>
          }
        </section>
        <section class="card-box pad wide" aria-labelledby="warnings">
          <h2 id="warnings">Last warnings</h2>
          <p class="muted small">
            Every change, with who made it and when, is recorded in the log{{ server.log.file === null ? '' : ', ' + server.log.file }}. The
            details of a numbered error are there too.
          </p>
          @if (server.log.recent.length > 0) {
            <table class="grid">
              <thead>
                <tr>
                  <th>When</th>
                  <th>Severity</th>
                  <th>What happened</th>
                </tr>
              </thead>
              <tbody>
                @for (logEntry of server.log.recent; track $index) {
                  <tr>
                    <td class="nowrap">{{ moment(logEntry.time) }}</td>
                    <td>{{ logEntry.level === 'error' ? 'error' : 'warning' }}</td>
                    <td class="what">{{ firstLine(logEntry.what) }}</td>
                  </tr>
                }
              </tbody>
            </table>
          } @else {
            <p class="muted mb-0">None since the server started.</p>
          }
        </section>
      </div>
    }
  </div>`,
  styles: `
    .cards {
      display: grid;
      grid-template-columns: minmax(0, 1fr) minmax(0, 1fr);
      gap: 14px;
      align-items: start;
    }
    .wide {
      grid-column: 1 / -1;
    }
    h2 {
      margin-top: 0;
    }
    .state {
      display: flex;
      gap: 8px;
      align-items: baseline;
      margin-bottom: 6px;
    }
    dl {
      display: grid;
      grid-template-columns: max-content 1fr;
      gap: 4px 14px;
      margin: 0;
    }
    dd {
      margin: 0;
    }
    dt {
      color: var(--ink-2);
      font-weight: 400;
    }
    .where,
    .what {
      overflow-wrap: anywhere;
    }
    .nowrap,
    .num {
      white-space: nowrap;
    }
  `,
})
export class AboutScreen {
  readonly #api = inject(Api);
  readonly about = resource({ loader: () => firstValueFrom(this.#api.about()) });
  readonly told = computed(() => (this.about.hasValue() ? this.about.value() : null));
  readonly isQuiet = computed(() => {
    const { runs = [], takes = [], exchanges = 0 } = this.told()?.interrupted ?? {};
    return runs.length + takes.length + exchanges === 0;
  });
  /** The backup that was asked for here, in words. */
  readonly backup = signal<{ state: 'making' | 'done' | 'failed'; text: string } | null>(null);
  readonly bytes = bytes;
  readonly figure = figure;
  readonly moment = moment;

  async backUp(): Promise<void> {
    this.backup.set({ state: 'making', text: 'A backup is being made. The server goes on working meanwhile.' });
    try {
      const { path, bytes: size } = await firstValueFrom(this.#api.backUp());
      const text = `The backup lies on the machine of the server: ${path}, ${bytes(size)}. It holds keys and recorded passwords: keep it as you keep those. “sturdy restore” makes a data folder of it.`;
      this.backup.set({ state: 'done', text });
      this.about.reload();
    } catch (error) {
      this.backup.set({ state: 'failed', text: `No backup was made. ${problemOf(error)}` });
    }
  }

  /** The rest of a fault says where in the code it happened, which is for the log. */
  firstLine(text: string): string {
    return text.split('\n')[0] ?? '';
  }
}
