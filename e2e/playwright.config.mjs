import { defineConfig } from '@playwright/test';

const base = `http://${process.env.OWL_LISTEN}`;

export default defineConfig({
  testDir: '.',
  timeout: 150_000,
  expect: { timeout: 15_000 },
  workers: 2, // one for each project: walks change what others see
  retries: process.env.CI ? 1 : 0,
  fullyParallel: false,
  reporter: [['list']],
  outputDir: '../test-results',
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
    trace: 'retain-on-failure',
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
    { name: 'walks', testMatch: '*.spec.mjs', testIgnore: 'accessible.spec.mjs', workers: 1 },
    { name: 'looks', testMatch: 'accessible.spec.mjs', workers: 1 },
    { name: 'screenshots', testMatch: 'screenshots.mjs' },
  ],
});
