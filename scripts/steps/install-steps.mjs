// What a machine must have: npm packages (installed here) and Debian's programs (installed with root or sudo, else named).
import { spawnSync } from 'node:child_process';
import { createHash } from 'node:crypto';
import { existsSync, mkdirSync, readdirSync, readFileSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { Failure, root, run } from './run.mjs';

const HEADLESS_CHROMIUM = '/usr/lib/chromium/chromium-headless-shell';

/** What we call for, Debian's package, and how to see that it is there. */
const PROGRAMS = {
  postgres: { packages: ['postgresql'], found: () => postgresBin() !== null },
  chromium: { packages: ['chromium'], found: () => existsSync('/usr/bin/chromium') },
  // Chromium without its windows: what tests need of it, for a quarter less time.
  'headless chromium': { packages: ['chromium-headless-shell'], found: () => existsSync(HEADLESS_CHROMIUM) },
  ffmpeg: { packages: ['ffmpeg'], found: () => onPath('ffmpeg') },
  'the reference library': {
    packages: ['g++', 'pkg-config', 'libopenexr-dev'],
    found: () => onPath('g++') && onPath('pkg-config') && existsSync('/usr/include/OpenEXR/ImfHeader.h'),
  },
  openexr: { packages: ['openexr', 'openimageio-tools'], found: () => onPath('exrheader') && onPath('oiiotool') },
};

/** Another installation on the machine is waited for, up to five minutes. */
const WAIT_FOR_LOCK = ['-o', 'DPkg::Lock::Timeout=300'];

function onPath(name) {
  return (process.env.PATH ?? '').split(':').some((folder) => existsSync(path.join(folder, name)));
}

/** Folder of the newest PostgreSQL server programs, or of one major version; null when there is none. */
export function postgresBin(major = null) {
  const base = '/usr/lib/postgresql';
  if (!existsSync(base)) return null;
  const versions = readdirSync(base)
    .filter((v) => existsSync(path.join(base, v, 'bin/postgres')))
    .sort((a, b) => Number(b) - Number(a));
  const chosen = major === null ? versions[0] : versions.find((v) => v === major);
  return chosen === undefined ? null : path.join(base, chosen, 'bin');
}

export function checkNode() {
  const [major] = process.versions.node.split('.').map(Number);
  if (major < 20) throw new Failure(`Node ${process.versions.node} is too old; Ivrex needs Node 20 or newer`);
}

/** `npm ci` when the lock file is not the one that was installed last. */
export async function ensurePackages(say) {
  checkNode();
  const lock = createHash('sha256')
    .update(readFileSync(path.join(root, 'package-lock.json')))
    .digest('hex');
  const stamp = path.join(root, '.cache/packages.stamp');
  if (existsSync(path.join(root, 'node_modules/esbuild')) && existsSync(stamp) && readFileSync(stamp, 'utf8') === lock) return;
  say('installing npm packages (a minute on the first run)');
  await run('npm', ['ci', '--no-audit', '--no-fund'], { quiet: true });
  mkdirSync(path.dirname(stamp), { recursive: true });
  writeFileSync(stamp, lock);
}

export async function ensurePrograms(names, say) {
  const missing = names.filter((name) => !PROGRAMS[name].found());
  if (missing.length === 0) return;
  const packages = missing.flatMap((name) => PROGRAMS[name].packages);
  const isRoot = process.getuid?.() === 0;
  const sudo = !isRoot && onPath('sudo') && spawnSync('sudo', ['-n', 'true']).status === 0;
  const command = `apt-get install -y ${packages.join(' ')}`;
  if (!onPath('apt-get') || (!isRoot && !sudo))
    throw new Failure(`${missing.join(', ')} missing; run this as an administrator, then start again:  sudo ${command}`);
  say(`installing ${packages.join(', ')} with apt-get`);
  const prefix = isRoot ? [] : ['sudo', '-n'];
  const apt = (...args) => {
    const [program, ...rest] = [...prefix, 'env', 'DEBIAN_FRONTEND=noninteractive', 'apt-get', ...WAIT_FOR_LOCK, ...args];
    return run(program, rest, { quiet: true });
  };
  await apt('update', '-qq');
  await apt('install', '-y', '-qq', '--no-install-recommends', ...packages);
  const still = missing.filter((name) => !PROGRAMS[name].found());
  if (still.length > 0) throw new Failure(`${still.join(', ')} could not be installed; run ${command} and look at what it says`);
}

/** The reference library's own tools: tests hold our files against them. */
export function ensureTestTools(say) {
  return ensurePrograms(['openexr', 'the reference library', 'headless chromium'], say);
}
