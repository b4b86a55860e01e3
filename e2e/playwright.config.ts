import { defineConfig } from '@playwright/test'

export default defineConfig({
  testDir: '.',
  testMatch: '*.spec.ts',
  outputDir: '../test-results',
  // Three times what a machine with two cores of its own needs: a limit ends what hangs, and says nothing of speed.
  timeout: 360_000,
  expect: { timeout: 60_000 },
  workers: 1,
  globalSetup: './setup.ts',
  use: {
    viewport: { width: 1280, height: 800 },
    actionTimeout: 45_000,
    screenshot: 'only-on-failure',
    launchOptions: {
      executablePath: '/usr/bin/chromium',
      args: ['--no-sandbox', '--disable-gpu', '--disable-background-networking'],
    },
  },
})
