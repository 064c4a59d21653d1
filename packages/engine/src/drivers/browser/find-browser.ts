import { existsSync } from 'node:fs';

const places = ['/usr/bin/chromium', '/usr/bin/chromium-browser', '/usr/bin/google-chrome'];

/** The program of a browser of the Chromium family: the one that `STURDY_BROWSER` names, else one of the usual places; null where this machine has none. */
export const findBrowser = (): string | null => {
  const named = process.env['STURDY_BROWSER'] ?? '';
  return named !== '' ? named : (places.find((place) => existsSync(place)) ?? null);
};

/** What every browser is started with: it asks for nothing by itself. `STURDY_BROWSER_ARGUMENTS` adds to it, words with blanks between them. */
export const quietArguments = (): string[] => [
  '--no-first-run',
  '--no-default-browser-check',
  '--disable-background-networking',
  '--disable-component-update',
  '--disable-sync',
  '--disable-quic',
  '--disable-features=Translate,OptimizationHints,MediaRouter',
  // Chromium refuses its sandbox to root.
  ...(process.getuid?.() === 0 ? ['--no-sandbox'] : []),
  ...(process.env['STURDY_BROWSER_ARGUMENTS'] ?? '').split(' ').filter((argument) => argument !== ''),
];
