import { spawn } from 'node:child_process';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { Problem } from '../problem/problem.js';
import { BrowserPipe } from './browser-pipe.js';
import { findBrowser } from './find-browser.js';

export interface CleanBrowserWanted {
  /** Address of the recording proxy. */
  proxy: string;
  /** The page that is opened. */
  address: string;
  /** SHA-256 of the public key of the recorder's certificates in base64; they are accepted, and no others. */
  trustedKeyHash: string;
  /** Without a window, for tests. */
  headless: boolean;
  /** What a button or link says that was clicked. */
  clicked: (text: string) => void;
  shortcut: (key: 'begin' | 'end' | 'pause') => void;
}

export interface CleanBrowser {
  close: () => void;
}

/** Listens in a world of its own, so that the page neither sees nor can call it. */
const listener = `
  addEventListener('click', (event) => {
    const hit = event.composedPath().find((one) => one instanceof Element && one.matches('button, a, input[type=submit], input[type=button], [role=button]'));
    if (hit) sturdyTold(JSON.stringify({ clicked: hit.value && hit.localName === 'input' ? hit.value : hit.innerText || hit.getAttribute('aria-label') || '' }));
  }, { capture: true });
  addEventListener('keydown', (event) => {
    if (!event.ctrlKey || !event.altKey) return;
    const key = { KeyB: 'begin', KeyE: 'end', KeyP: 'pause' }[event.code];
    if (!key) return;
    event.preventDefault();
    event.stopImmediatePropagation();
    sturdyTold(JSON.stringify({ key }));
  }, { capture: true });
`;

/**
 * Opens Chromium with an empty profile, the recording proxy and its certificate set, and the cache off. Throws a problem where
 * there is no browser or no display.
 */
export function openCleanBrowser(wanted: CleanBrowserWanted): CleanBrowser {
  const program = findBrowser();
  const byHand = `Set ${wanted.proxy} as the HTTP and HTTPS proxy of any browser on this machine, install the certificate from ${wanted.proxy}/ in it, and open ${wanted.address} there.`;
  if (!program) throw new Problem(409, 'No Chromium here', `Install Chromium, or do it by hand: ${byHand}`);
  if (!wanted.headless && !process.env['DISPLAY'] && !process.env['WAYLAND_DISPLAY'])
    throw new Problem(409, 'No display here', `This server has no screen to open a browser on. ${byHand}`);
  const profile = mkdtempSync(join(tmpdir(), 'sturdy-browser-'));
  const browser = spawn(
    program,
    [
      `--user-data-dir=${profile}`,
      `--proxy-server=${wanted.proxy}`,
      '--proxy-bypass-list=<-loopback>',
      `--ignore-certificate-errors-spki-list=${wanted.trustedKeyHash}`,
      '--remote-debugging-pipe',
      '--disk-cache-size=1',
      '--no-first-run',
      '--no-default-browser-check',
      '--disable-background-networking',
      '--disable-component-update',
      '--disable-sync',
      '--disable-quic',
      '--disable-features=Translate,OptimizationHints,MediaRouter',
      ...(wanted.headless ? ['--headless', '--disable-gpu'] : []),
      // Chromium refuses its sandbox to root.
      ...(process.getuid?.() === 0 ? ['--no-sandbox'] : []),
      'about:blank',
    ],
    { stdio: ['ignore', 'ignore', 'ignore', 'pipe', 'pipe'] },
  );
  browser.on('exit', () => {
    rmSync(profile, { recursive: true, force: true, maxRetries: 5 });
  });
  let first = true;
  const pipe = new BrowserPipe(browser, (method, params) => {
    if (method === 'Target.attachedToTarget') {
      const { sessionId, targetInfo } = params as { sessionId: string; targetInfo: { type: string } };
      if (targetInfo.type === 'page' || targetInfo.type === 'iframe') {
        pipe.send('Page.enable', {}, sessionId);
        pipe.send('Runtime.enable', {}, sessionId);
        pipe.send('Network.enable', {}, sessionId);
        pipe.send('Network.setCacheDisabled', { cacheDisabled: true }, sessionId);
        pipe.send('Runtime.addBinding', { name: 'sturdyTold', executionContextName: 'sturdy' }, sessionId);
        pipe.send('Page.addScriptToEvaluateOnNewDocument', { source: listener, worldName: 'sturdy' }, sessionId);
        if (first && targetInfo.type === 'page') pipe.send('Page.navigate', { url: wanted.address }, sessionId);
        first &&= targetInfo.type !== 'page';
      }
      pipe.send('Runtime.runIfWaitingForDebugger', {}, sessionId);
    } else if (method === 'Runtime.bindingCalled') {
      const payload = JSON.parse(String(params['payload'])) as { clicked?: string; key?: 'begin' | 'end' | 'pause' };
      if (payload.clicked !== undefined) wanted.clicked(payload.clicked);
      if (payload.key) wanted.shortcut(payload.key);
    }
  });
  pipe.send('Target.setAutoAttach', { autoAttach: true, waitForDebuggerOnStart: true, flatten: true });
  return {
    close: () => {
      pipe.send('Browser.close', {});
      setTimeout(() => browser.kill('SIGKILL'), 2000).unref();
    },
  };
}
