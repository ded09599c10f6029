// The application for browser tests, with a fresh database and media folder of its own. Tests put their shots there; the tour looks at the demo itself.
import { cpSync, existsSync, mkdirSync, rmSync } from 'node:fs';
import { spawn } from 'node:child_process';
import path from 'node:path';
import { root, run } from '../scripts/steps/run.mjs';

if (!existsSync(path.join(root, '.cache/demo/small/TC_010'))) {
  process.stderr.write('the demo frames are not made; run "npm test", which makes them first\n');
  process.exit(1);
}
const data = path.join(root, '.cache/e2e', process.argv[2]);
for (const part of ['media', 'deliveries', 'made', 'postgres']) rmSync(path.join(data, part), { recursive: true, force: true });
mkdirSync(path.join(data, 'media'), { recursive: true });

const isTour = process.env.IVREX_SCREENSHOTS === '1',
  demo = isTour ? ['--demo'] : [];
if (isTour) {
  const made = path.join(root, '.cache/demo/tidal-clock');
  await run('node', ['packages/demo/dist/make-demo.mjs', made]);
  cpSync(made, path.join(data, 'media/tidal-clock'), { recursive: true });
}
const child = spawn(process.execPath, ['scripts/start.mjs', ...demo, '--data', data, '--port', process.argv[2]], {
  cwd: root,
  stdio: ['ignore', 'inherit', 'inherit'],
  env: { ...process.env, IVREX_LOG: 'error' },
});
for (const signal of ['SIGTERM', 'SIGINT']) process.on(signal, () => child.kill(signal));
child.on('exit', (code) => process.exit(code ?? 1));
