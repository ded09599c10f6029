// Jest transform. A test file is bundled with all of our own sources that it needs: Jest runs every file in a context of its own, where a
// call to another file's export goes through a getter and a look-up of a global through the context, which makes loops over pixels three to
// six times slower, and where loading three hundred small files takes seconds. Types are checked by tsc, not here.
const { createHash } = require('node:crypto');
const { readdirSync, readFileSync, statSync } = require('node:fs');
const path = require('node:path');
const { buildSync, transformSync } = require('esbuild');

const root = path.resolve(__dirname, '..');

/** Names of the file's own for what loops look up most. */
const GLOBALS = [
  'Math',
  'Number',
  'Array',
  'Float32Array',
  'Float64Array',
  'Int32Array',
  'Uint8Array',
  'Uint16Array',
  'Uint32Array',
  'Uint8ClampedArray',
  'Int8Array',
  'Int16Array',
  'DataView',
  'Map',
  'Set',
  'Object',
  'String',
  'NaN',
  'Infinity',
  'isNaN',
];
const NAMED_GLOBALS = `const ${GLOBALS.map((name) => `${name} = globalThis.${name}`).join(', ')};`;

/** A bundle is as new as the newest source that might be in it. */
let sources = null;
function digestOfSources() {
  if (sources !== null) return sources;
  const hash = createHash('sha256');
  const visit = (folder) => {
    for (const entry of readdirSync(folder, { withFileTypes: true }).sort((a, b) => (a.name < b.name ? -1 : 1))) {
      const file = path.join(folder, entry.name);
      if (entry.isDirectory()) {
        if (!['node_modules', 'dist', 'build', 'fixtures'].includes(entry.name)) visit(file);
      } else {
        const { size, mtimeMs } = statSync(file);
        hash.update(`${file}:${size}:${mtimeMs};`);
      }
    }
  };
  visit(path.join(root, 'packages'));
  hash.update(readFileSync(__filename));
  sources = hash.digest('hex');
  return sources;
}

/** `@ivrex/core` and its like, and what they export beside their main entry, as files. */
const OWN_PACKAGES = Object.fromEntries(
  readdirSync(path.join(root, 'packages')).flatMap((name) => {
    const folder = path.join(root, 'packages', name),
      { exports = {} } = JSON.parse(readFileSync(path.join(folder, 'package.json'), 'utf8'));
    return Object.entries(exports).map(([entry, file]) => [path.posix.join(`@ivrex/${name}`, entry), path.join(folder, file)]);
  }),
);

/** A package that is an ES module with a default export goes in as well: required from there the default would be the module itself. */
const WITH_DEFAULT = Object.fromEntries(['p-map'].map((name) => [name, require.resolve(name)]));

const COMMON = {
  format: 'cjs',
  target: 'node20',
  sourcemap: 'inline',
  supported: { 'dynamic-import': false },
};

module.exports = {
  getCacheKey: (source, file) =>
    createHash('sha256')
      .update(`${file}\0${source}\0${file.endsWith('.ts') ? digestOfSources() : ''}`)
      .digest('hex'),

  process(source, file) {
    // Packages that are ES modules only.
    if (!file.endsWith('.ts')) return { code: transformSync(source, { ...COMMON, loader: 'js', sourcefile: file }).code };
    const { outputFiles } = buildSync({
      ...COMMON,
      entryPoints: [file],
      absWorkingDir: root,
      bundle: true,
      write: false,
      // Sources are named relative to where the bundle would lie.
      outfile: file.replace(/\.ts$/, '.bundle.js'),
      platform: 'node',
      logLevel: 'error',
      banner: { js: NAMED_GLOBALS },
      // Ours go in, everything else is required.
      packages: 'external',
      alias: { ...OWN_PACKAGES, ...WITH_DEFAULT },
    });
    return { code: outputFiles[0].text };
  },
};
