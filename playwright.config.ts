import { defineConfig } from '@playwright/test'

export default defineConfig({
  testDir: 'tests/journeys',
  workers: 1,
  fullyParallel: false,
  timeout: 60_000,
  expect: { timeout: 10_000 },
  reporter: [['list'], ['json', { outputFile: process.env.ABACUS_JOURNEYS_REPORT ?? 'test-results/journeys.json' }]],
  use: {
    baseURL: process.env.ABACUS_URL ?? 'http://127.0.0.1:7180',
    viewport: { width: 1280, height: 800 },
    locale: 'en-GB',
    launchOptions: {
      executablePath: '/usr/bin/chromium',
      args: ['--no-sandbox', '--disable-gpu', '--disable-dev-shm-usage', '--disable-quic', '--no-first-run', '--disable-background-networking', '--disable-component-update', '--disable-sync'],
    },
  },
})
