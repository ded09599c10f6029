import { readdirSync } from 'node:fs';
import path from 'node:path';
import { IvrexError } from '@ivrex/core';
import { loadNodeHost, openImage, tryFindDamage } from '../src';

/**
 * Opens every file of a folder as probe and the server would: header, wholeness, all pixels of all parts. Prints a line of JSON a file and
 * last the most memory that was used. Runs as a process of its own, so that a crash, a hang or huge memory are seen.
 */
const [folder, kernels] = process.argv.slice(2);
const host = await loadNodeHost(kernels, { cacheFolder: path.join(folder, 'cache') });
const before = process.resourceUsage().maxRSS;
for (const name of readdirSync(folder).sort()) {
  if (name === 'cache') continue;
  const file = path.join(folder, name);
  const started = Date.now();
  let outcome = 'read';
  try {
    await tryFindDamage(file);
    const opened = await openImage(file, host);
    for (let part = 0; part < opened.header.parts.length; part++) await opened.decode(part, null);
  } catch (error) {
    outcome = error instanceof IvrexError ? `${error.code}: ${error.message}` : `CRASH ${String(error)}`;
  }
  process.stdout.write(`${JSON.stringify({ name, outcome, seconds: (Date.now() - started) / 1000 })}\n`);
}
process.stdout.write(`${JSON.stringify({ megabytes: (process.resourceUsage().maxRSS - before) / 1024 })}\n`);
