import { defineConfig } from '@playwright/test';

const base = `http://${process.env.OWL_LISTEN}`;
// Walks change what others see: each half has a demo of its own, so that both may run at once.
const firstHalf = ['attributes', 'browse', 'changes', 'credentials', 'fitting', 'forms', 'kits'].map((name) => `${name}.spec.mjs`);
const looks = 'accessible.spec.mjs';

export default defineConfig({
  testDir: '.',
  timeout: 240_000,
  expect: { timeout: 15_000 },
  workers: 2, // one for each project
  retries: process.env.CI ? 1 : 0,
  fullyParallel: false,
  reporter: [['list']],
  webServer: {
    command: '../bin/owl demo',
    url: `${base}/readyz`,
    timeout: 180_000,
    stdout: 'pipe',
    gracefulShutdown: { signal: 'SIGTERM', timeout: 30_000 },
  },
  use: {
    baseURL: base,
    viewport: { width: 1280, height: 800 },
    timezoneId: 'UTC',
    locale: 'en-GB',
    trace: 'on-first-retry', // recording each walk takes a quarter of the time
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
  projects: [
    { name: 'first', testMatch: firstHalf, workers: 1 },
    { name: 'second', testMatch: '*.spec.mjs', testIgnore: [...firstHalf, looks], workers: 1 },
    { name: 'looks', testMatch: looks, workers: 1 },
    { name: 'screenshots', testMatch: 'screenshots.mjs' },
  ],
});
