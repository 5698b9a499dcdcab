import { defineConfig } from '@playwright/test';

const browser = process.env.PHAINON_BROWSER ?? '/usr/bin/chromium-headless-shell';

export default defineConfig({
  testDir: 'tests',
  // One at a time: some of them record, and two browsers at once would measure each other.
  workers: 1,
  timeout: 150_000,
  expect: { timeout: 15_000 },
  // A machine that others use too can stand still for seconds. What holds only at a second try is listed
  // as flaky.
  retries: 2,
  reporter: [['list'], ['json', { outputFile: process.env.PHAINON_JOURNEYS ?? 'test-results/journeys.json' }]],
  use: {
    baseURL: process.env.PHAINON_ADDRESS ?? 'http://127.0.0.1:7460',
    actionTimeout: 15_000,
    viewport: { width: 1280, height: 800 },
    launchOptions: { executablePath: browser, args: ['--no-sandbox'] },
    trace: 'off',
  },
});
