// Builds what is out of date: kernels (AssemblyScript), bundles (esbuild), the interface (Vite).
import { createHash } from 'node:crypto';
import { existsSync, mkdirSync, readdirSync, readFileSync, rmSync, statSync, writeFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import path from 'node:path';
import { run, root } from './run.mjs';

const require = createRequire(import.meta.url);

/** A digest of the files' names, sizes and times below the folders. */
function digestOf(folders) {
  const hash = createHash('sha256');
  const visit = (file) => {
    const there = statSync(file);
    if (there.isDirectory()) {
      for (const name of readdirSync(file).sort()) if (!['node_modules', 'dist', 'build'].includes(name)) visit(path.join(file, name));
    } else hash.update(`${file}:${there.size}:${there.mtimeMs};`);
  };
  for (const folder of folders) visit(path.join(root, folder));
  return hash.digest('hex');
}

/** Runs `build` unless the stamp beside the output says that it was made from these very sources. */
async function whenStale(name, sources, outputs, build, say) {
  const stampFile = path.join(root, '.cache', `${name}.stamp`);
  const stamp = digestOf(sources);
  const fresh =
    outputs.every((file) => existsSync(path.join(root, file))) && existsSync(stampFile) && readFileSync(stampFile, 'utf8') === stamp;
  if (fresh) return;
  say(`building ${name}`);
  await build();
  mkdirSync(path.dirname(stampFile), { recursive: true });
  writeFileSync(stampFile, stamp);
}

const own = (...names) => [...names.map((name) => `packages/${name}`), 'package-lock.json'];

export async function bundle(entries, outdir) {
  const esbuild = require('esbuild');
  rmSync(path.join(root, outdir), { recursive: true, force: true });
  await esbuild.build({
    absWorkingDir: root,
    entryPoints: entries,
    outdir,
    outExtension: { '.js': '.mjs' },
    bundle: true,
    format: 'esm',
    platform: 'node',
    target: 'node20',
    sourcemap: true,
    logLevel: 'warning',
    plugins: [
      {
        name: 'own-packages-inside',
        setup(build) {
          build.onResolve({ filter: /^[^./]/ }, ({ path: id, kind }) =>
            kind === 'entry-point' || id.startsWith('@ivrex/') ? undefined : { path: id, external: true },
          );
        },
      },
    ],
  });
}

export async function buildKernels(say) {
  await whenStale(
    'kernels',
    ['packages/kernels/assembly', 'package-lock.json'],
    ['packages/kernels/build/kernels.wasm'],
    async () => {
      await run('node', [
        require.resolve('assemblyscript/bin/asc.js'),
        'packages/kernels/assembly/index.ts',
        '-o',
        'packages/kernels/build/kernels.wasm',
        '--runtime',
        'stub',
        '--noAssert',
        '-O3',
        '--enable',
        'simd',
        '--use',
        'abort=',
      ]);
    },
    say,
  );
}

export async function buildCli(say) {
  await buildKernels(say);
  await whenStale(
    'cli',
    own('cli', 'contract', 'core', 'kernels', 'media'),
    ['packages/cli/dist/ivrex.mjs'],
    () => bundle({ ivrex: 'packages/cli/src/main.ts', 'media-worker': 'packages/media/src/worker.ts' }, 'packages/cli/dist'),
    say,
  );
}

export async function buildDemo(say) {
  await buildKernels(say);
  await whenStale(
    'demo',
    own('demo', 'core', 'kernels', 'media'),
    ['packages/demo/dist/make-demo.mjs'],
    () => bundle({ 'make-demo': 'packages/demo/src/main.ts', 'demo-worker': 'packages/demo/src/worker.ts' }, 'packages/demo/dist'),
    say,
  );
}

export async function buildServer(say) {
  await buildKernels(say);
  await whenStale(
    'server',
    own('server', 'demo', 'contract', 'core', 'kernels', 'media'),
    ['packages/server/dist/server.mjs'],
    () =>
      bundle(
        {
          server: 'packages/server/src/main.ts',
          worker: 'packages/server/src/worker-main.ts',
          people: 'packages/server/src/people-main.ts',
          'media-worker': 'packages/media/src/worker.ts',
          'demo-worker': 'packages/demo/src/worker.ts',
        },
        'packages/server/dist',
      ),
    say,
  );
}

export async function buildClient(say) {
  await buildKernels(say);
  await whenStale(
    'client',
    own('client', 'contract', 'core', 'kernels'),
    ['packages/client/dist/index.html'],
    () =>
      run('node', [path.join(path.dirname(require.resolve('vite/package.json')), 'bin/vite.js'), 'build', '--logLevel', 'warn'], {
        cwd: path.join(root, 'packages/client'),
      }),
    say,
  );
}

/** The reference library's side of tests and benches. Returns the program. */
export async function buildOracle(say) {
  const program = path.join(root, '.cache/oracle/exr-oracle');
  const source = 'packages/core/test/oracle/exr-oracle.cpp';
  await whenStale(
    'oracle',
    [source],
    ['.cache/oracle/exr-oracle'],
    async () => {
      mkdirSync(path.dirname(program), { recursive: true });
      const flags = await run('pkg-config', ['--cflags', '--libs', 'OpenEXR'], { quiet: true });
      await run('g++', ['-O2', '-std=c++17', source, '-o', program, ...flags.trim().split(/\s+/)]);
    },
    say,
  );
  return program;
}

export async function buildAll(say) {
  for (const step of [buildCli, buildDemo, buildServer, buildClient]) await step(say);
}

export function bundleBench() {
  return bundle(
    {
      'kernels-bench': 'packages/media/bench/kernels-bench.ts',
      'blur-bench': 'packages/media/bench/blur-bench.ts',
      'depth-bench': 'packages/demo/bench/depth-bench.ts',
      'depth-files-bench': 'packages/demo/bench/depth-files-bench.ts',
      'blur-bench-thread': 'packages/media/bench/blur-bench-thread.ts',
      'assemble-bench': 'packages/media/bench/assemble-bench.ts',
      'exr-bench': 'packages/media/bench/exr-bench.ts',
      'folder-bench': 'packages/media/bench/folder-bench.ts',
    },
    '.cache/bench/bundles',
  );
}

export function bundleDetection() {
  return bundle({ 'detection-bench': 'packages/demo/bench/detection-bench.ts' }, '.cache/bench/detection');
}

export function bundleFidelity() {
  return bundle({ 'fidelity-bench': 'packages/demo/bench/fidelity-bench.ts' }, '.cache/bench/fidelity');
}
