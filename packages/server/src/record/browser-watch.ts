import { PageNewsSchema, type Act, type Gesture } from '@sturdy/core';
import { recorderCode } from '@sturdy/page';
import type { BrowserPipe } from './browser-pipe.js';

/** A gesture as a browser tells of it; times are of `Date.now()`. */
export type SeenGesture = Omit<Gesture, 'n' | 'atMs' | 'untilMs'> & { at: number; until: number };

/** What is heard of a browser in which somebody records. */
export interface BrowserNews {
  /** What a button or link says that was clicked. */
  clicked: (text: string) => void;
  shortcut: (key: 'begin' | 'end' | 'pause') => void;
  gesture: (gesture: SeenGesture) => void;
}

interface KnownFrame {
  parent: string | null;
  name: string;
  url: string;
}
interface FrameData {
  id: string;
  parentId?: string;
  name?: string;
  url: string;
}
/** The history of a tab. */
interface History {
  currentIndex: number;
  entries: { userTypedURL: string; url: string; transitionType: string }[];
}
/** The history is asked again after so many ms, and so many times at most. */
const askAgainMs = 50;
const mostAsked = 10;
/** The world of the recorder: the page neither sees it nor can call it. */
const world = 'sturdy';
/** How an entry of the history came about where a person asked for an address; anything else follows from another gesture. */
const asked = ['typed', 'address_bar', 'auto_bookmark', 'keyword', 'generated', 'reload'];

/** Hears what a person does in the tabs and frames of a browser, over the Chrome DevTools Protocol. */
export class BrowserWatch {
  readonly #frames = new Map<string, KnownFrame>();
  /** The tab of each session, and the frame of each world. */
  readonly #tabs = new Map<string, number>();
  readonly #worlds = new Map<string, string>();
  /** The place in its history at which each tab is. */
  readonly #places = new Map<number, number>();
  /** Frames whose page asked for its next address itself. */
  readonly #requested = new Set<string>();
  #tabCount = 0;

  constructor(
    readonly pipe: BrowserPipe,
    readonly news: BrowserNews,
    /** The address that the first tab opens. */
    readonly address: string,
  ) {}

  heard(method: string, params: Record<string, unknown>, sessionId: string | undefined): void {
    if (method === 'Target.attachedToTarget')
      this.#attached(params as { sessionId: string; targetInfo: { type: string; targetId: string } }, sessionId);
    if (sessionId === undefined) return;
    switch (method) {
      case 'Page.frameAttached': {
        const { frameId, parentFrameId } = params as { frameId: string; parentFrameId: string };
        this.#frames.set(frameId, { parent: parentFrameId, name: '', url: '' });
        return;
      }
      case 'Page.frameRequestedNavigation':
        this.#requested.add(String(params['frameId']));
        return;
      case 'Page.frameNavigated':
        this.#navigated((params as { frame: FrameData }).frame, sessionId);
        return;
      case 'Runtime.executionContextCreated': {
        const { context } = params as { context: { id: number; name: string; auxData?: { frameId?: string } } };
        if (context.name === world) this.#worlds.set(`${sessionId} ${context.id}`, context.auxData?.frameId ?? '');
        return;
      }
      case 'Runtime.bindingCalled':
        this.#told(String(params['payload']), this.#worlds.get(`${sessionId} ${String(params['executionContextId'])}`) ?? '', sessionId);
        return;
      case 'Page.javascriptDialogClosed': {
        const { result, userInput = '' } = params as { result: boolean; userInput?: string };
        this.#gesture(sessionId, { kind: 'answer', isYes: result, text: userInput });
        return;
      }
    }
  }

  #attached(
    { sessionId, targetInfo }: { sessionId: string; targetInfo: { type: string; targetId: string } },
    parent: string | undefined,
  ): void {
    const { pipe } = this;
    const isFirst = this.#tabCount === 0;
    if (targetInfo.type === 'page' || targetInfo.type === 'iframe') {
      this.#tabs.set(sessionId, targetInfo.type === 'page' ? ++this.#tabCount : (this.#tabs.get(parent ?? '') ?? 1));
      const ready = [
        ...['Page', 'Runtime', 'Network'].map((domain) => pipe.ask(`${domain}.enable`, {}, sessionId)),
        pipe.ask('Network.setCacheDisabled', { cacheDisabled: true }, sessionId),
        // Frames of other origins are targets of their own.
        pipe.ask('Target.setAutoAttach', { autoAttach: true, waitForDebuggerOnStart: true, flatten: true }, sessionId),
        pipe.ask('Runtime.addBinding', { name: 'sturdyTold', executionContextName: world }, sessionId),
        pipe.ask('Page.addScriptToEvaluateOnNewDocument', { source: recorderCode, worldName: world }, sessionId),
      ];
      // The page comes from another process, which is told only what this one has answered to before.
      if (isFirst && targetInfo.type === 'page')
        void Promise.all(ready).then(() => {
          this.#gesture(sessionId, { kind: 'go-to', address: this.address });
          pipe.send('Page.navigate', { url: this.address }, sessionId);
        });
    }
    pipe.send('Runtime.runIfWaitingForDebugger', {}, sessionId);
  }

  #navigated({ id, parentId, name = '', url }: FrameData, sessionId: string): void {
    const tab = this.#tabs.get(sessionId) ?? 1;
    this.#frames.set(id, { parent: parentId ?? this.#frames.get(id)?.parent ?? null, name, url });
    const isRequested = this.#requested.delete(id);
    if (parentId === undefined && this.#frames.get(id)?.parent === null && url !== 'about:blank')
      void this.#arrived(sessionId, tab, url, isRequested);
  }

  /** Finds out whether a person asked for the address at which a tab has arrived, or went back. */
  async #arrived(sessionId: string, tab: number, url: string, isRequested: boolean): Promise<void> {
    const at = Date.now();
    const history = await this.#historyAt(sessionId, url);
    if (!history) return;
    const place = this.#places.get(tab) ?? -1;
    this.#places.set(tab, history.currentIndex);
    const entry = history.entries[history.currentIndex];
    if (!entry) return;
    // The first address was told when it was opened.
    if (place < 0 && tab === 1 && isSameAddress(entry.userTypedURL || entry.url, this.address)) return;
    if (history.currentIndex < place) this.#gesture(sessionId, { kind: 'go-back' }, at);
    else if (!isRequested && asked.includes(entry.transitionType))
      this.#gesture(sessionId, { kind: 'go-to', address: entry.userTypedURL || entry.url }, at);
  }

  /** The history of a tab, once it knows of an address; a page tells of its arrival before the history does. */
  async #historyAt(sessionId: string, url: string): Promise<History | null> {
    for (let tries = 0; ; tries++) {
      const history = (await this.pipe.ask('Page.getNavigationHistory', {}, sessionId)) as History | null;
      // While a page comes from another process, nobody answers.
      if (history?.entries[history.currentIndex]?.url === url || tries >= mostAsked) return history;
      await new Promise((go) => setTimeout(go, askAgainMs));
    }
  }

  #gesture(sessionId: string, act: Act, at = Date.now()): void {
    this.news.gesture({ act, aim: null, tab: this.#tabs.get(sessionId) ?? 1, frames: [], at, until: at });
  }

  #told(payload: string, frame: string, sessionId: string): void {
    // The page itself cannot call, but what stands in it is its own.
    const parsed = PageNewsSchema.safeParse(jsonOf(payload));
    if (!parsed.success) return;
    const news = parsed.data;
    if (news.kind === 'clicked') this.news.clicked(news.text);
    else if (news.kind === 'shortcut') this.news.shortcut(news.key);
    else {
      const { act, aim, at, until } = news;
      this.news.gesture({ act, aim, tab: this.#tabs.get(sessionId) ?? 1, frames: this.#pathTo(frame), at, until });
    }
  }

  /** The frames from the page down to one. */
  #pathTo(frame: string): Gesture['frames'] {
    const path: Gesture['frames'] = [];
    for (let at = this.#frames.get(frame); at && at.parent !== null; at = this.#frames.get(at.parent))
      path.unshift({ name: at.name, path: pathOf(at.url) });
    return path;
  }
}

function isSameAddress(left: string, right: string): boolean {
  try {
    return new URL(left).href === new URL(right).href;
  } catch {
    return left === right;
  }
}

function jsonOf(text: string): unknown {
  try {
    return JSON.parse(text);
  } catch {
    return null;
  }
}

function pathOf(address: string): string {
  try {
    return new URL(address).pathname;
  } catch {
    return address;
  }
}
