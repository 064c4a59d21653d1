import { randomUUID } from 'node:crypto';
import type { ServerResponse } from 'node:http';
import { networkInterfaces } from 'node:os';
import {
  clearanceProblem,
  environmentFault,
  type Environment,
  type Mark,
  type RecordingState,
  type RequestExchange,
  type Take,
} from '@sturdy/core';
import type { Lookup } from '@sturdy/engine';
import type { LiveHub } from '../live/live-hub.js';
import { Problem } from '../problem/problem.js';
import type { Store } from '../store/store-client.js';
import type { SeenGesture } from './browser-watch.js';
import { openCleanBrowser, type CleanBrowser } from './clean-browser.js';
import { certificatePage } from './certificate-page.js';
import { CertificateAuthority } from './proxy/certificate-authority.js';
import { TappingProxy } from './proxy/tapping-proxy.js';
import { RecordingJournal } from './recording-journal.js';
import { newClientPassword, Recording } from './recording.js';

/** How a recording is started. */
export interface RecordingWanted {
  name: string;
  /** Listens on every address of this machine, with a password, so that phones and other machines can record. */
  forNetwork: boolean;
  /** Bodies above this many bytes are cut. */
  bodyLimitBytes: number;
  /** The take whose gestures are played again; absent where a person plays. */
  playedFrom?: string;
}

export const usualBodyLimitBytes = 32 << 20;

interface LiveRecording {
  recording: Recording;
  proxy: TappingProxy;
  /** What other devices give; null where only this machine may record. */
  password: string | null;
  browser: CleanBrowser | null;
}

/** The recorder of this machine: one recording at a time, through a proxy of its own. */
export class Recorder {
  #live: LiveRecording | null = null;
  #authority: Promise<CertificateAuthority> | null = null;

  constructor(
    readonly store: Store,
    readonly live: LiveHub,
    readonly port: number,
    /** Folder of the certificate authority, and of what a recording has counted and the store has not written yet. */
    readonly folder: string,
    /** Told of what the operator of the server should know. */
    readonly warn: (text: string) => void = () => undefined,
    /** Looks names up; that of the system where it is left out. */
    readonly lookup?: Lookup,
  ) {}

  /** The certificate authority of this machine; made when it is first asked for. */
  authority(): Promise<CertificateAuthority> {
    this.#authority ??= CertificateAuthority.open(this.folder).catch((error: unknown) => {
      // What was wrong may have been put right by the next time.
      this.#authority = null;
      throw error;
    });
    return this.#authority;
  }

  get current(): RecordingState | null {
    if (!this.#live) return null;
    const { recording, proxy, password } = this.#live;
    return {
      takeId: recording.take.id,
      projectId: recording.take.projectId,
      proxy: `http://127.0.0.1:${proxy.port}`,
      network: password === null ? null : { addresses: ownAddresses(), port: proxy.port, password },
      visitors: proxy.visitors,
      paused: recording.paused,
      exchangeCount: recording.count,
      warnings: [...recording.warnings],
      suggestions: recording.suggestions,
    };
  }

  async start(projectId: string, wanted: RecordingWanted, environment: Environment): Promise<Take> {
    if (this.#live)
      throw new Problem(
        409,
        'Already recording',
        `“${this.#live.recording.take.name}” is being recorded. Stop it before you start another take.`,
      );
    // Nothing is recorded with a faulty environment, whatever wrote it.
    const fault = environmentFault(environment);
    if (fault !== null) throw new Problem(422, 'This environment cannot be used', fault);
    const authority = await this.authority();
    const take: Take = {
      id: randomUUID(),
      projectId,
      name: wanted.name,
      startedAt: new Date().toISOString(),
      state: 'recording',
      marks: [],
      harLog: null,
      ...(wanted.playedFrom === undefined ? {} : { playedFrom: wanted.playedFrom }),
    };
    const recording = new Recording(
      take,
      this.store,
      this.live,
      { bodyLimitBytes: wanted.bodyLimitBytes },
      new RecordingJournal(this.folder, take.id),
    );
    const password = wanted.forNetwork ? newClientPassword() : null;
    const proxy = new TappingProxy({
      authority,
      refusal: (origin) =>
        environment.targets.includes(origin)
          ? clearanceProblem(environment, origin, Date.now())
          : `${origin} was refused, because the environment does not name it. Add it to the environment if it belongs to the application.`,
      upstream: { ...environment, environment, lookup: this.lookup },
      tap: recording,
      ownPage: (path: string, response: ServerResponse) => {
        if (certificatePage(path, response, authority)) recording.certificateTaken();
      },
      clientPassword: password,
      shutOut: (address) => {
        this.warn(`${address} gave wrong passwords to the recording proxy and is shut out for a minute`);
      },
    });
    try {
      await proxy.listen(wanted.forNetwork ? '0.0.0.0' : '127.0.0.1', this.port);
    } catch (error) {
      recording.giveUp();
      throw error;
    }
    this.#live = { recording, proxy, password, browser: null };
    await this.store.saveTake(take);
    return take;
  }

  /** Notes something at the present moment; a begin closes the transaction that is open. */
  mark(kind: Mark['kind'], text: string): Promise<Take> {
    return this.#need().recording.mark(kind, text);
  }

  pause(paused: boolean): Promise<Take> {
    return this.#need().recording.pause(paused);
  }

  discardLast(count: number): Promise<number[]> {
    return this.#need().recording.discardLast(count);
  }

  /** Gives the certificate to a browser that asks the product for it. */
  async sendCertificate(response: ServerResponse): Promise<void> {
    certificatePage('/sturdy-recording.crt', response, await this.authority());
    this.#live?.recording.certificateTaken();
  }

  /** Opens a clean browser that records. Its shortcuts mark, and what is clicked in it suggests names. */
  async openBrowser(address: string): Promise<void> {
    const live = this.#need();
    const { recording } = live;
    live.browser?.close();
    live.browser = openCleanBrowser({
      proxy: `http://127.0.0.1:${live.proxy.port}`,
      address,
      trustedKeyHash: await (await this.authority()).leafKeyHash(),
      headless: false,
      clicked: (text) => {
        recording.clicked(text);
      },
      shortcut: (key) => void this.shortcut(key),
      gesture: (gesture) => {
        recording.gesture(gesture);
      },
    });
  }

  /** What the recording holds of requests that began at a moment or later (`Date.now()`). */
  exchangesSince(moment: number): RequestExchange[] {
    const { recording } = this.#need();
    const fromMs = moment - Date.parse(recording.take.startedAt);
    return recording.exchanges.filter(({ startedAtMs }) => startedAtMs >= fromMs);
  }

  /** Notes a gesture that was played, at the present moment of the recording. */
  noteGesture(gesture: SeenGesture): void {
    this.#need().recording.gesture(gesture);
  }

  /** What a key does while one looks at the application: begin the suggested transaction, end it, pause or resume. */
  async shortcut(key: 'begin' | 'end' | 'pause'): Promise<void> {
    const { recording } = this.#need();
    if (key === 'pause') await recording.pause(!recording.paused);
    else if (key === 'begin') {
      const number = recording.take.marks.filter((mark) => mark.kind === 'begin').length + 1;
      await recording.mark('begin', recording.suggestions[0] ?? `Transaction ${number}`);
    } else {
      const last = recording.take.marks.filter((mark) => mark.kind === 'begin' || mark.kind === 'end').at(-1);
      if (last?.kind === 'begin') await recording.mark('end', last.text);
    }
  }

  async stop(): Promise<Take> {
    const { recording, proxy, browser } = this.#need();
    browser?.close();
    // Where the store fails, the recording is still there to be stopped again.
    const take = await recording.end();
    this.#live = null;
    await proxy.close();
    return take;
  }

  #need(): LiveRecording {
    if (!this.#live) throw new Problem(409, 'Nothing is being recorded', 'Start a take in the recording room first.');
    return this.#live;
  }
}

/** Addresses under which other devices reach this machine. */
function ownAddresses(): string[] {
  return Object.values(networkInterfaces())
    .flatMap((list) => list ?? [])
    .filter((info) => info.family === 'IPv4' && !info.internal)
    .map((info) => info.address);
}
