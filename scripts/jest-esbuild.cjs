// Jest transform: TypeScript and ES modules to CommonJS with esbuild. Types are checked by tsc, not here.
const { transformSync } = require('esbuild');

module.exports = {
  process(source, file) {
    const loader = file.endsWith('.ts') ? 'ts' : 'js';
    return transformSync(source, {
      loader,
      format: 'cjs',
      target: 'node20',
      sourcemap: 'inline',
      sourcefile: file,
      supported: { 'dynamic-import': false },
    });
  },
};
