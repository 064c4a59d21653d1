import { spawn } from 'node:child_process';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { findBrowser, quietArguments } from '@sturdy/engine';
import { Problem } from '../problem/problem.js';
import { BrowserPipe } from './browser-pipe.js';
import { BrowserWatch, type BrowserNews } from './browser-watch.js';

export interface CleanBrowserWanted extends BrowserNews {
  /** Address of the recording proxy. */
  proxy: string;
  /** The page that is opened. */
  address: string;
  /** SHA-256 of the public key of the recorder's certificates in base64; they are accepted, and no others. */
  trustedKeyHash: string;
  /** Without a window, for tests. */
  headless: boolean;
}

export interface CleanBrowser {
  close: () => void;
}

/**
 * Opens Chromium with an empty profile, the recording proxy and its certificate set, and the cache off. Throws a problem where
 * there is no browser or no display.
 */
export function openCleanBrowser(wanted: CleanBrowserWanted): CleanBrowser {
  const program = findBrowser();
  const byHand = `Set ${wanted.proxy} as the HTTP and HTTPS proxy of any browser on this machine, install the certificate from ${wanted.proxy}/ in it, and open ${wanted.address} there.`;
  if (!program) throw new Problem(409, 'No Chromium here', `Install Chromium, or do it by hand: ${byHand}`);
  const quiet = quietArguments();
  const isHeadless = wanted.headless || quiet.some((argument) => argument.startsWith('--headless'));
  if (!isHeadless && !process.env['DISPLAY'] && !process.env['WAYLAND_DISPLAY'])
    throw new Problem(409, 'No display here', `This server has no screen to open a browser on. ${byHand}`);
  const profile = mkdtempSync(join(tmpdir(), 'sturdy-browser-'));
  const browser = spawn(
    program,
    [
      ...quiet,
      `--user-data-dir=${profile}`,
      `--proxy-server=${wanted.proxy}`,
      '--proxy-bypass-list=<-loopback>',
      `--ignore-certificate-errors-spki-list=${wanted.trustedKeyHash}`,
      '--remote-debugging-pipe',
      '--disk-cache-size=1',
      ...(isHeadless ? ['--headless', '--disable-gpu'] : []),
      'about:blank',
    ],
    { stdio: ['ignore', 'ignore', 'ignore', 'pipe', 'pipe'] },
  );
  browser.on('exit', () => {
    rmSync(profile, { recursive: true, force: true, maxRetries: 5 });
  });
  const pipe: BrowserPipe = new BrowserPipe(browser, (method, params, sessionId) => {
    watch.heard(method, params, sessionId);
  });
  const watch = new BrowserWatch(pipe, wanted, wanted.address);
  pipe.send('Target.setAutoAttach', { autoAttach: true, waitForDebuggerOnStart: true, flatten: true });
  return {
    close: () => {
      pipe.send('Browser.close', {});
      setTimeout(() => browser.kill('SIGKILL'), 2000).unref();
    },
  };
}
