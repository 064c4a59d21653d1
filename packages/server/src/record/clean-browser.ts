import { spawn } from 'node:child_process';
import { existsSync, mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { Problem } from '../problem.js';

const places = ['/usr/bin/chromium', '/usr/bin/chromium-browser', '/usr/bin/google-chrome'];

/** Opens Chromium with an empty profile and the recording proxy set. Throws a problem where there is no display. */
export function openCleanBrowser(proxy: string, address: string): void {
  const program = places.find((one) => existsSync(one));
  if (!program)
    throw new Problem(
      409,
      'No Chromium here',
      `Install Chromium, or set ${proxy} as the HTTP proxy of any browser and open ${address} there.`,
    );
  if (!process.env['DISPLAY'] && !process.env['WAYLAND_DISPLAY'])
    throw new Problem(
      409,
      'No display here',
      `This server has no screen to open a browser on. Set ${proxy} as the HTTP proxy of any browser on this machine and open ${address} there.`,
    );
  const profile = mkdtempSync(join(tmpdir(), 'sturdy-browser-'));
  const browser = spawn(
    program,
    [
      `--user-data-dir=${profile}`,
      `--proxy-server=${proxy}`,
      '--proxy-bypass-list=<-loopback>',
      '--disk-cache-size=1',
      '--no-first-run',
      '--no-default-browser-check',
      '--disable-background-networking',
      '--disable-component-update',
      '--disable-sync',
      '--disable-quic',
      // Chromium refuses its sandbox to root.
      ...(process.getuid?.() === 0 ? ['--no-sandbox'] : []),
      address,
    ],
    { stdio: 'ignore', detached: true },
  );
  browser.on('exit', () => {
    rmSync(profile, { recursive: true, force: true });
  });
  browser.unref();
}
