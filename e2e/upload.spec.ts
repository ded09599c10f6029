import { spawn, type ChildProcess } from 'node:child_process';
import { copyFileSync, mkdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { expect, test } from './fixtures';

const ROOT = path.join(import.meta.dirname, '..');
const MADE = path.join(ROOT, '.cache/demo/small/TC_010');
const DATA = path.join(ROOT, '.cache/e2e-upload');
const PORT = 4793;

/** A server of its own: this test ends it in the middle of an upload. */
async function startServer(): Promise<ChildProcess> {
  const child = spawn(process.execPath, ['scripts/start.mjs', '--data', DATA, '--port', String(PORT)], {
    cwd: ROOT,
    stdio: ['ignore', 'pipe', 'inherit'],
    env: { ...process.env, IVREX_LOG: 'error' },
  });
  await new Promise<void>((resolve, reject) => {
    child.stdout?.on('data', (text: Buffer) => text.includes('ready in') && resolve());
    child.once('exit', (code) => reject(new Error(`the server ended with ${code}`)));
  });
  return child;
}

async function stopServer(child: ChildProcess): Promise<void> {
  const gone = new Promise((resolve) => child.once('exit', resolve));
  child.kill('SIGTERM');
  await gone;
}

/** A folder as a renderer leaves it: beauty and motion in one file a frame, and a large plate. */
function folderToSend(name: string): string {
  const folder = path.join(DATA, 'outside', name);
  mkdirSync(path.join(folder, 'plate'), { recursive: true });
  for (const frame of [1010, 1011]) copyFileSync(path.join(MADE, `TC_010_heron.${frame}.exr`), path.join(folder, `heron.${frame}.exr`));
  copyFileSync(path.join(MADE, 'TC_010_plate.1010.exr'), path.join(folder, 'plate/plate.1010.exr'));
  return folder;
}

// They share a server's data and address.
test.describe.configure({ mode: 'default' });

test.beforeAll(() => rmSync(DATA, { recursive: true, force: true }));

test('a folder is dropped on the page, uploaded with its folders, and becomes a shot', async ({ page }) => {
  const server = await startServer();
  try {
    await page.goto(`http://127.0.0.1:${PORT}/`);
    await expect(page.getByText('No shots yet')).toBeVisible();
    // A true drop of a folder, as the desktop hands it to the browser.
    const desktop = await page.context().newCDPSession(page);
    const data = { items: [], files: [folderToSend('TC_017_reeds')], dragOperationsMask: 1 };
    for (const type of ['dragEnter', 'dragOver'] as const) await desktop.send('Input.dispatchDragEvent', { type, x: 640, y: 500, data });
    await expect(page.getByText('Drop a folder of frames')).toBeVisible();
    await desktop.send('Input.dispatchDragEvent', { type: 'drop', x: 640, y: 500, data });
    await expect(page).toHaveURL(/\/shots\/.*\/passes/);
    await expect(page.getByRole('heading', { name: 'TC_017_reeds' })).toBeVisible();
    await expect(page.locator('.pass-row')).toHaveCount(5);
    await expect(page.getByLabel('Frames of plate/plate.####.exr')).toBeVisible();
  } finally {
    await stopServer(server);
  }
});

test('the server is ended in the middle of an upload; started again, the upload goes on where it was', async ({ page }) => {
  let server = await startServer();
  try {
    const folder = folderToSend('TC_018_ebb');
    // Large enough to be under way for a while: real pixels with noise behind the end, which the format ignores.
    const frame = readFileSync(path.join(MADE, 'TC_010_heron.1012.exr'));
    const padded = Buffer.alloc(40 * 2 ** 20, 7);
    frame.copy(padded);
    writeFileSync(path.join(folder, 'heron.1012.exr'), padded);
    await page.goto(`http://127.0.0.1:${PORT}/`);
    const slow = await page.context().newCDPSession(page);
    await slow.send('Network.emulateNetworkConditions', {
      offline: false,
      latency: 5,
      downloadThroughput: -1,
      uploadThroughput: 6 * 2 ** 20,
    });
    const sent: { method: string; offset: number }[] = [];
    page.on('request', (request) => {
      const offset = request.headers()['upload-offset'];
      if (request.method() === 'PATCH' && offset !== undefined) sent.push({ method: request.method(), offset: Number(offset) });
    });
    await page.getByRole('button', { name: 'New shot' }).click();
    await page.getByTestId('folder-chooser').setInputFiles(folder);
    const card = page.getByTestId('upload');
    // At least one piece of the large file has arrived, and it is not yet whole.
    await expect.poll(() => Math.max(0, ...sent.map((s) => s.offset)), { timeout: 40000 }).toBeGreaterThan(8 * 2 ** 20 - 1);
    await stopServer(server);
    await expect(card).toContainText('it goes on by itself when it is back', { timeout: 30000 });
    const before = sent.length;
    server = await startServer();
    await expect(page).toHaveURL(/\/shots\/.*\/passes/, { timeout: 80000 });
    // It went on from a piece that had arrived, and did not begin again.
    expect(
      Math.min(
        ...sent
          .slice(before)
          .map((s) => s.offset)
          .filter((o) => o > 0),
      ),
    ).toBeGreaterThanOrEqual(8 * 2 ** 20);
    expect(sent.slice(before).some((s) => s.offset === 0)).toBe(false);
    await expect(page.locator('.pass-row')).toHaveCount(5);
    const arrived = path.join(DATA, 'uploads');
    const { execFileSync } = await import('node:child_process');
    const there = execFileSync('find', [arrived, '-name', 'heron.1012.exr', '-not', '-path', '*/.arriving/*'], { encoding: 'utf8' }).trim();
    expect(readFileSync(there).equals(padded)).toBe(true);
  } finally {
    await stopServer(server);
  }
});
