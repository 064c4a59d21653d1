import { existsSync } from 'node:fs';

const places = ['/usr/bin/chromium', '/usr/bin/chromium-browser', '/usr/bin/google-chrome'];

/** The program of a browser that recordings can be made in; null where this machine has none. */
export const findBrowser = (): string | null => places.find((place) => existsSync(place)) ?? null;
