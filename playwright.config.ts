import { defineConfig } from '@playwright/test';

export default defineConfig({
  testDir: 'e2e',
  testMatch: '**/*.e2e.ts',
  // Browsers and servers wait more than they compute, so three files at a time fit two processors.
  workers: 3,
  // A busy machine may let one wait too long; what passes only the second time is told as flaky.
  retries: 1,
  reporter: 'list',
  timeout: 420_000,
  expect: { timeout: 25_000 },
  use: {
    actionTimeout: 15_000,
    viewport: { width: 1280, height: 800 },
    contextOptions: { reducedMotion: 'reduce' },
    launchOptions: {
      executablePath: '/usr/bin/chromium',
      args: [
        '--no-sandbox',
        '--disable-gpu',
        '--disable-quic',
        '--no-first-run',
        '--disable-background-networking',
        '--disable-component-update',
        '--disable-sync',
      ],
    },
  },
});
