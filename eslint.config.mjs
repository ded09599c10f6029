import js from 'typescript-eslint';
import boundaries from 'eslint-plugin-boundaries';
import { noCircles } from './scripts/lint/no-circles.mjs';
import { typeProjects } from './scripts/steps/type-projects.mjs';

const rooms = ['kernels', 'core', 'contract', 'media', 'demo', 'server', 'cli', 'client'];
/** Imports go one way. What is not named here is not allowed. */
const allowed = {
  kernels: [],
  core: ['kernels'],
  contract: ['core'],
  media: ['contract', 'core', 'kernels'],
  demo: ['core', 'kernels', 'media'],
  server: ['contract', 'core', 'demo', 'media'],
  cli: ['contract', 'core', 'media'],
  client: ['contract', 'core', 'kernels'],
};

export default js.config(
  {
    ignores: [
      '**/dist/**',
      '**/build/**',
      '**/node_modules/**',
      '.cache/**',
      '.data/**',
      'packages/kernels/assembly/**',
      '**/test-results/**',
      '**/playwright-report/**',
    ],
  },
  {
    files: ['packages/*/src/**/*.{ts,tsx}', 'packages/*/test/**/*.ts', 'e2e/**/*.ts'],
    extends: [...js.configs.recommended],
    plugins: { house: { rules: { 'no-circles': noCircles } } },
    rules: {
      '@typescript-eslint/no-explicit-any': 'error',
      '@typescript-eslint/consistent-type-imports': 'error',
      '@typescript-eslint/switch-exhaustiveness-check': 'error',
      '@typescript-eslint/no-floating-promises': 'error',
      'house/no-circles': 'error',
      'no-console': 'error',
      eqeqeq: 'error',
    },
    languageOptions: { parserOptions: { project: typeProjects(), tsconfigRootDir: import.meta.dirname } },
  },
  {
    files: ['packages/*/src/**/*.{ts,tsx}'],
    plugins: { boundaries },
    settings: {
      'boundaries/elements': rooms.map((type) => ({ type, pattern: `packages/${type}` })),
      'import/resolver': { typescript: true, node: true },
    },
    rules: {
      'boundaries/dependencies': [
        'error',
        {
          default: 'disallow',
          policies: rooms.map((room) => ({
            from: { element: { type: room } },
            allow: { to: { element: { type: [room, ...allowed[room]] } } },
          })),
        },
      ],
      // The slow versions are for tests.
      'no-restricted-imports': [
        'error',
        { patterns: [{ group: ['@ivrex/core/reference', '**/reference/*'], message: 'reference/ is for tests only' }] },
      ],
    },
  },
  { files: ['packages/core/src/reference/**'], rules: { 'no-restricted-imports': 'off' } },
);
