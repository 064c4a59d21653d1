import { chromium, type Browser, type BrowserContext } from 'playwright-core';
import { findBrowser, quietArguments } from './find-browser.js';

/** How a browser is opened in which gestures are played. */
export interface PlayerBrowserWanted {
  /** A proxy through which everything goes, such as `http://127.0.0.1:4310`, loopback too. */
  proxy: string;
  /** SHA-256 of the public key of certificates that are accepted besides those of known authorities, in base64. */
  trustedKeyHash: string;
  headless: boolean;
}

/** A browser of its own with one clean context. */
export interface PlayerBrowser {
  context: BrowserContext;
  close: () => Promise<void>;
}

/** Opens a browser with an empty profile and its cache off. Throws where there is none on this machine. */
export async function openPlayerBrowser({ proxy, trustedKeyHash, headless }: PlayerBrowserWanted): Promise<PlayerBrowser> {
  const program = findBrowser();
  if (program === null)
    throw new Error('There is no browser of the Chromium family on this machine. Install Chromium, or name one by STURDY_BROWSER.');
  const browser: Browser = await chromium.launch({
    executablePath: program,
    headless,
    proxy: { server: proxy },
    args: [
      ...quietArguments(),
      '--proxy-bypass-list=<-loopback>',
      `--ignore-certificate-errors-spki-list=${trustedKeyHash}`,
      '--disk-cache-size=1',
      '--disable-gpu',
    ],
  });
  const context = await browser.newContext({ viewport: { width: 1280, height: 800 } });
  return {
    context,
    close: async () => {
      await browser.close();
    },
  };
}
