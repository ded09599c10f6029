// The application for browser tests: a fresh database and media folder of its own, with the demo frames copied in.
import { copyFileSync, cpSync, existsSync, mkdirSync, rmSync, truncateSync, writeFileSync } from 'node:fs';
import { spawn } from 'node:child_process';
import path from 'node:path';
import { root } from '../scripts/steps/run.mjs';

const made = path.join(root, '.cache/demo/small');
if (!existsSync(path.join(made, 'TC_010'))) {
  process.stderr.write('the demo frames are not made; run "npm test", which makes them first\n');
  process.exit(1);
}
const data = path.join(root, '.cache/e2e', process.argv[2]);
for (const part of ['media', 'deliveries', 'made']) rmSync(path.join(data, part), { recursive: true, force: true });
rmSync(path.join(data, 'postgres'), { recursive: true, force: true });
cpSync(made, path.join(data, 'media/tidal-clock'), { recursive: true });

// A shot with everything that goes wrong: a gap, a truncated frame, a text file with an image's name, a motion pass of another size.
const faulty = path.join(data, 'media/faulty/TC_015_ebb');
mkdirSync(faulty, { recursive: true });
for (const frame of [1010, 1011, 1012, 1014])
  copyFileSync(path.join(made, `TC_010/TC_010_heron.${frame}.exr`), path.join(faulty, `ebb.${frame}.exr`));
truncateSync(path.join(faulty, 'ebb.1011.exr'), 30000);
writeFileSync(path.join(faulty, 'notes.exr'), 'the gate stays shut until the ebb\n');
copyFileSync(path.join(root, 'packages/core/test/fixtures/layers-zips.exr'), path.join(faulty, 'motion_small.exr'));

const child = spawn(process.execPath, ['scripts/start.mjs', '--demo', '--data', data, '--port', process.argv[2]], {
  cwd: root,
  stdio: ['ignore', 'inherit', 'inherit'],
  env: { ...process.env, IVREX_LOG: 'error' },
});
for (const signal of ['SIGTERM', 'SIGINT']) process.on(signal, () => child.kill(signal));
child.on('exit', (code) => process.exit(code ?? 1));
