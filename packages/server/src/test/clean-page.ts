import { chromium, type Page } from 'playwright-core';
import type { Recorder } from '../record/recorder.js';

/** Opens the clean browser of a recording without a window, and gives its page, in which a test acts as a person does. */
export async function openCleanPage(recorder: Recorder, address: string): Promise<Page> {
  const port = 20_000 + Math.floor(20_000 * Math.random());
  process.env['STURDY_BROWSER_ARGUMENTS'] = `--headless --remote-debugging-port=${port}`;
  try {
    await recorder.openBrowser(address);
  } finally {
    delete process.env['STURDY_BROWSER_ARGUMENTS'];
  }
  for (let tries = 0; ; tries++) {
    const browser = await chromium.connectOverCDP(`http://127.0.0.1:${port}`).catch(() => null);
    const page = browser?.contexts()[0]?.pages()[0];
    if (page) return page;
    if (tries > 60) throw new Error('The clean browser cannot be reached.');
    await new Promise((go) => setTimeout(go, 200));
  }
}
