import { execFileSync } from 'node:child_process';
import path from 'node:path';
import { buildSync } from 'esbuild';

/**
 * Bundles a script of this folder, runs it with plain Node and parses what it prints: loops over pixels are several times slower inside
 * the test runner's sandbox.
 */
export function runOutside<T>(script: string): T {
  const file = path.resolve('.cache/outside', script.replace(/\.ts$/, '.mjs'));
  buildSync({
    entryPoints: [path.join(__dirname, script)],
    outfile: file,
    bundle: true,
    platform: 'node',
    format: 'esm',
    target: 'node20',
    logLevel: 'error',
    // Native code and worker files are loaded from where they lie.
    external: ['sharp', 'piscina', 'geotiff'],
    banner: { js: "import { createRequire as requireFrom } from 'node:module'; const require = requireFrom(import.meta.url);" },
  });
  return JSON.parse(execFileSync(process.execPath, [file], { encoding: 'utf8', maxBuffer: 1 << 28 })) as T;
}
