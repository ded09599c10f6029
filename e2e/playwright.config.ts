import { defineConfig } from '@playwright/test';

/** One application for each worker, and in it a shot for each test: tests run in any order. */
export const PORTS = [4791, 4794] as const;

const isTour = process.env.IVREX_SCREENSHOTS === '1';

export default defineConfig({
  testDir: '.',
  // Two applications and two browsers share what cores there are: waiting long costs nothing where all is well.
  timeout: 400000,
  workers: PORTS.length,
  fullyParallel: true,
  // The tour of the views is for the documentation's pictures.
  testIgnore: isTour ? [] : ['tour.spec.ts'],
  retries: 0,
  forbidOnly: true,
  reporter: [['list'], ['json']],
  outputDir: '../.cache/browser-tests',
  expect: { timeout: 75000 },
  use: {
    baseURL: `http://127.0.0.1:${PORTS[0]}`,
    viewport: { width: 1280, height: 800 },
    // The page draws in software, most of the time for the picture: a quarter of its pixels is enough for what tests look at.
    deviceScaleFactor: isTour ? 1 : 0.5,
    screenshot: 'only-on-failure',
    launchOptions: {
      executablePath: '/usr/lib/chromium/chromium-headless-shell',
      args: [
        '--no-sandbox',
        '--use-gl=angle',
        '--use-angle=swiftshader',
        '--enable-unsafe-swiftshader',
        '--disable-gpu-compositing',
        '--disable-background-networking',
        '--disable-component-update',
        '--disable-sync',
        '--no-first-run',
      ],
    },
  },
  webServer: PORTS.slice(0, isTour ? 1 : PORTS.length).map((port) => ({
    command: `node e2e/serve.mjs ${port}`,
    cwd: '..',
    url: `http://127.0.0.1:${port}/api/health`,
    // The tour's frames may have to be rendered first.
    timeout: isTour ? 1200000 : 180000,
    stdout: 'ignore',
    stderr: 'pipe',
    reuseExistingServer: false,
    gracefulShutdown: { signal: 'SIGTERM', timeout: 15000 },
  })),
});
