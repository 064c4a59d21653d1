import { join } from 'node:path';
import type { KnownSecrets } from '@sturdy/core';
import { pino, type Logger } from 'pino';
import { createStream } from 'rotating-file-stream';
import { ownFolder } from '../store/own-folder.js';

/** Levels of the log, the least first. */
export const levels = ['info', 'warn', 'error'] as const;

/** What happened, as it stands in the log: one line of JSON each. */
export interface LogEntry {
  /** ISO 8601. */
  time: string;
  level: (typeof levels)[number];
  what: string;
}

/** Figures and names that belong to an entry. */
export type LogDetails = Record<string, string | number | boolean | null>;

/** So many warnings and errors are remembered for the page about this server. */
const mostRecent = 30;
const fileSize = '10M';
const files = 5;

/**
 * The log of the server: lines of JSON in files that are rotated at 10 MB, five of them, for their owner alone. Warnings and errors go to the
 * terminal too. Secrets that are known are masked before a line is written.
 */
export class ServerLog {
  readonly #recent: LogEntry[] = [];
  /** What is masked, by the project that it belongs to. */
  readonly #secrets = new Map<string, KnownSecrets>();
  readonly #files: Logger | null;
  readonly #end: () => Promise<void>;

  /** `folder` is where the files lie; null writes to the terminal only. What is less than `level` is written nowhere. */
  constructor(
    readonly folder: string | null,
    readonly level: LogEntry['level'] = 'info',
  ) {
    if (folder === null) {
      this.#files = null;
      this.#end = () => Promise.resolve();
      return;
    }
    ownFolder(folder);
    const stream = createStream('sturdy.log', { path: folder, size: fileSize, maxFiles: files, mode: 0o600, history: 'rotated.txt' });
    // A disk that takes no more lines stops nothing; the terminal has the warnings.
    stream.on('error', () => undefined);
    stream.on('warning', () => undefined);
    this.#files = pino(
      {
        base: { pid: process.pid },
        messageKey: 'what',
        timestamp: pino.stdTimeFunctions.isoTime,
        formatters: { level: (level) => ({ level }) },
      },
      stream,
    );
    this.#end = () =>
      new Promise((done) =>
        stream.end(() => {
          done();
        }),
      );
  }

  /** Where the lines of today are; null where there are none. */
  get file(): string | null {
    return this.folder === null ? null : join(this.folder, 'sturdy.log');
  }

  /** The last warnings and errors, the newest first. */
  get recent(): readonly LogEntry[] {
    return [...this.#recent].reverse();
  }

  /** Masks these from now on, in the place of those that the project had before. */
  mask(secrets: KnownSecrets, projectId = ''): void {
    this.#secrets.set(projectId, secrets);
  }

  info(what: string, details: LogDetails = {}): void {
    this.#write('info', what, details);
  }

  warn(what: string, details: LogDetails = {}): void {
    this.#write('warn', what, details);
  }

  error(what: string, details: LogDetails = {}): void {
    this.#write('error', what, details);
  }

  /** Resolves once all lines are in the file. */
  close(): Promise<void> {
    return this.#end();
  }

  #write(level: LogEntry['level'], what: string, details: LogDetails): void {
    if (levels.indexOf(level) < levels.indexOf(this.level)) return;
    const all = [...this.#secrets.values()];
    const hide = (text: string): string => all.reduce((shown, secrets) => secrets.hide(shown), text);
    const said = hide(what);
    this.#files?.[level](
      all.reduce((shown, secrets) => secrets.hideIn(shown), details),
      said,
    );
    if (level === 'info') return;
    const time = new Date().toISOString();
    const more = Object.entries(details).map(([name, value]) => `${name} ${hide(String(value))}`);
    process.stderr.write(`${time} ${[said, ...more].join('; ')}\n`);
    this.#recent.push({ time, level, what: said });
    if (this.#recent.length > mostRecent) this.#recent.shift();
  }
}
