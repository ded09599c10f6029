import { execFile } from 'node:child_process';
import { mkdtemp, readFile, rm, writeFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import path from 'node:path';
import { pathToFileURL } from 'node:url';
import { promisify } from 'node:util';
import { IvrexError } from '@ivrex/core';

const run = promisify(execFile);
const BROWSERS = ['chromium', 'chromium-browser', 'google-chrome'];
const PRINT_MS = 60000;

/** A page as PDF, printed by Chromium. @throws IvrexError unsupported when there is none on this machine */
export async function printPage(html: string): Promise<Buffer> {
  const folder = await mkdtemp(path.join(tmpdir(), 'ivrex-report-'));
  try {
    const page = path.join(folder, 'report.html'),
      pdf = path.join(folder, 'report.pdf');
    await writeFile(page, html);
    for (const browser of BROWSERS) {
      try {
        await run(
          browser,
          [
            '--headless',
            '--no-sandbox',
            '--disable-gpu',
            `--user-data-dir=${path.join(folder, 'profile')}`,
            '--no-pdf-header-footer',
            `--print-to-pdf=${pdf}`,
            pathToFileURL(page).href,
          ],
          { timeout: PRINT_MS },
        );
        return await readFile(pdf);
      } catch (error) {
        if (!isMissing(error))
          throw new IvrexError('cannotWrite', 'Chromium could not print the report; take the page and print it from a browser');
      }
    }
    throw new IvrexError('unsupported', 'there is no Chromium on the server to print with; take the page and print it from a browser');
  } finally {
    await rm(folder, { recursive: true, force: true });
  }
}

function isMissing(error: unknown): boolean {
  return typeof error === 'object' && error !== null && 'code' in error && error.code === 'ENOENT';
}
