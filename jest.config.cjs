/** @type {import('jest').Config} */
module.exports = {
  testMatch: ['<rootDir>/packages/*/test/**/*.test.ts'],
  transform: { '^.+\\.(ts|js|mjs)$': '<rootDir>/scripts/jest-esbuild.cjs' },
  // Workspace sources and packages that are ESM only go through the transform.
  transformIgnorePatterns: [
    '/node_modules/(?!(fast-check|pure-rand|geotiff|fast-png|iobuffer|fflate|quick-lru|@petamoriken|web-worker|xml-utils|zstddec|lerc|pako|@tus|srvx|cookie-es|three|@gltf-transform|property-graph)/)',
  ],
  testEnvironment: 'node',
  // A copy of the sources for seeded faults, left by a run that was ended.
  modulePathIgnorePatterns: ['<rootDir>/.cache/'],
  testTimeout: 120000,
  // Two more than two cores: tests of lost workers and databases mostly wait.
  maxWorkers: 4,
};
