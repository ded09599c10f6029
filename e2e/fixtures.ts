import path from 'node:path';
import { test as base } from '@playwright/test';
import { PORTS } from './playwright.config';

export { expect } from '@playwright/test';

/** Every worker has an application of its own. */
export const test = base.extend({
  baseURL: async ({}, use, info) => {
    await use(`http://127.0.0.1:${PORTS[info.parallelIndex % PORTS.length]}`);
  },
});

/** Where the worker's application keeps its data. Inside a test. */
export function dataFolder(): string {
  return path.join(import.meta.dirname, '../.cache/e2e', String(PORTS[test.info().parallelIndex % PORTS.length]));
}
