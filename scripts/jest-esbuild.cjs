// Jest transform: TypeScript and ES modules to CommonJS with esbuild. Types are checked by tsc, not here.
const { createHash } = require('node:crypto');
const { transformSync } = require('esbuild');

// Jest runs each file in a context of its own, where looking up a global such as Math costs a hundred times more than usual. A name of the
// module's own for each of them makes loops over pixels run at their true speed.
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
  'Map',
  'Set',
];
const NAMED_GLOBALS = `const ${GLOBALS.map((name) => `${name} = globalThis.${name}`).join(', ')};`;

module.exports = {
  getCacheKey: (source, file) => createHash('sha256').update(`${NAMED_GLOBALS}\0${file}\0${source}`).digest('hex'),

  process(source, file) {
    const isOwn = file.endsWith('.ts');
    return transformSync(source, {
      loader: isOwn ? 'ts' : 'js',
      format: 'cjs',
      target: 'node20',
      sourcemap: 'inline',
      sourcefile: file,
      supported: { 'dynamic-import': false },
      ...(isOwn ? { banner: NAMED_GLOBALS } : {}),
    });
  },
};
