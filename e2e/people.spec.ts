import { execFileSync, spawn, type ChildProcess } from 'node:child_process';
import { chmodSync, mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';
import { expect, test } from './fixtures';

const ROOT = path.join(import.meta.dirname, '..');
const PASSWORD = 'the tide is out at six';
let data: string, script: ChildProcess, url: string;

/** An application of its own, in which people sign in. */
test.beforeAll(async () => {
  data = mkdtempSync(path.join(tmpdir(), 'ivrex-people-'));
  chmodSync(data, 0o755);
  execFileSync(process.execPath, ['scripts/people.mjs', 'add', 'Warden', '--role', 'admin', '--data', data], {
    cwd: ROOT,
    input: PASSWORD,
  });
  script = spawn(process.execPath, ['scripts/start.mjs', '--data', data, '--port', '0', '--workers', '0'], {
    cwd: ROOT,
    env: { ...process.env, IVREX_SIGN_IN: 'always', IVREX_LOG: 'error' },
  });
  let text = '';
  script.stdout?.on('data', (chunk) => (text += String(chunk)));
  await expect.poll(() => text, { timeout: 120000 }).toMatch(/http:\/\/[\d.:]+/);
  url = /http:\/\/[\d.:]+/.exec(text)?.[0] ?? '';
});

test.afterAll(async () => {
  const gone = new Promise((resolve) => script.once('exit', resolve));
  script.kill('SIGINT');
  await gone;
  rmSync(data, { recursive: true, force: true });
});

test('people sign in, see what they may, and every change has a name', async ({ page }) => {
  await page.goto(`${url}/queue`);
  await page.getByLabel('Name').fill('Warden');
  await page.getByLabel('Password').fill('low water at noon');
  await page.getByRole('button', { name: 'Sign in' }).click();
  await expect(page.getByRole('alert')).toContainText('Name and password do not belong together.');
  await page.getByLabel('Password').fill(PASSWORD);
  await page.keyboard.press('Enter');
  // What was opened is shown; without a worker that is said.
  await expect(page.getByTestId('workers')).toContainText('No worker is running');
  await page.getByRole('link', { name: 'People' }).click();
  const people = page.getByTestId('people');
  await people.getByLabel('Name').fill('Heron Watcher');
  await people.getByLabel('Password', { exact: true }).fill(PASSWORD);
  await people.getByRole('button', { name: 'Add' }).click();
  await expect(people.locator('.ant-table-row')).toHaveCount(2);
  await expect(page.getByTestId('changes')).toContainText('added the person "Heron Watcher"');
  await page.getByRole('button', { name: 'Sign out' }).click();
  await expect(page.getByRole('button', { name: 'Sign in' })).toBeVisible();
  await page.getByLabel('Name').fill('heron watcher');
  await page.getByLabel('Password').fill(PASSWORD);
  await page.keyboard.press('Enter');
  await expect(page.getByTestId('changes')).toContainText('Warden');
  await expect(page.getByTestId('people')).toHaveCount(0);
  await page.getByRole('button', { name: 'Change my password' }).click();
  const dialog = page.getByRole('dialog', { name: 'Change my password' });
  await dialog.getByLabel('Your password as it is now').fill('low water at noon');
  await dialog.getByLabel('The new one', { exact: true }).fill('the heron stands still');
  await dialog.getByLabel('The new one again').fill('the heron stands stil');
  await page.keyboard.press('Enter');
  await expect(dialog).toContainText('This is another one');
  await dialog.getByLabel('The new one again').fill('the heron stands still');
  await page.keyboard.press('Enter');
  await expect(dialog.getByRole('alert')).toContainText('That is not your password as it is now.');
  await dialog.getByLabel('Your password as it is now').fill(PASSWORD);
  await page.keyboard.press('Enter');
  await expect(dialog).toBeHidden();
  await expect(page.getByTestId('changes')).toContainText('changed the own password');
  // A session that is over brings the door back.
  await page.context().clearCookies();
  await page.getByRole('link', { name: 'Shots' }).click();
  await expect(page.getByRole('button', { name: 'Sign in' })).toBeVisible();
});
