import { defineConfig } from '@playwright/test';

export const PORT = 4791;

export default defineConfig({
  testDir: '.',
  timeout: 90000,
  workers: 1,
  retries: 0,
  forbidOnly: true,
  reporter: [['list'], ['json']],
  outputDir: '../.cache/browser-tests',
  expect: { timeout: 20000 },
  use: {
    baseURL: `http://127.0.0.1:${PORT}`,
    viewport: { width: 1280, height: 800 },
    screenshot: 'only-on-failure',
    launchOptions: {
      executablePath: '/usr/bin/chromium',
      args: [
        '--no-sandbox',
        '--use-gl=angle',
        '--use-angle=swiftshader',
        '--enable-unsafe-swiftshader',
        '--disable-background-networking',
        '--disable-component-update',
        '--disable-sync',
        '--no-first-run',
      ],
    },
  },
  webServer: {
    command: `node e2e/serve.mjs ${PORT}`,
    cwd: '..',
    url: `http://127.0.0.1:${PORT}/api/health`,
    timeout: 180000,
    stdout: 'ignore',
    stderr: 'pipe',
    reuseExistingServer: false,
    gracefulShutdown: { signal: 'SIGTERM', timeout: 15000 },
  },
});
