import base from './playwright.config';

/** The page's own measurements, apart from the tests: nothing fails for being slow. */
export default { ...base, use: { ...base.use, deviceScaleFactor: 1 }, testMatch: 'interactive.bench.ts', reporter: 'line' };
