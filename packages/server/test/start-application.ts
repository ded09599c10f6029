import { spawn, type ChildProcess } from 'node:child_process';
import { chmodSync, mkdtempSync, readdirSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';

const ROOT = path.join(__dirname, '../../..');

export interface Run {
  readonly script: ChildProcess;
  readonly url: string;
  readonly serverPid: number;
}

export interface Ended {
  readonly code: number | null;
  readonly output: string;
}

/** What the kernel says of a process: its command line, null when it is gone (or only waits to be buried). */
export function commandLine(pid: number): string | null {
  try {
    const state = readFileSync(`/proc/${pid}/stat`, 'utf8').replace(/^.*\) /s, '')[0];
    return state === 'Z' ? null : readFileSync(`/proc/${pid}/cmdline`, 'utf8').replaceAll('\0', ' ');
  } catch {
    return null;
  }
}

export async function until(what: string, holds: () => boolean | Promise<boolean>, seconds = 30): Promise<void> {
  for (const end = Date.now() + seconds * 1000; Date.now() < end;) {
    if (await holds()) return;
    await new Promise((resolve) => setTimeout(resolve, 50));
  }
  throw new Error(`${seconds} s passed without: ${what}`);
}

/** The whole application as `npm start` runs it, with a data folder of its own; its processes can be killed. */
export class Application {
  readonly data = mkdtempSync(path.join(tmpdir(), 'ivrex-start-'));
  private readonly started: ChildProcess[] = [];

  constructor(
    private readonly args: readonly string[] = [],
    private readonly env: Readonly<Record<string, string>> = {},
  ) {
    // The database's own user must get into it.
    chmodSync(this.data, 0o755);
  }

  launch(): { script: ChildProcess; output: () => string; ended: Promise<Ended> } {
    const script = spawn(process.execPath, [path.join(ROOT, 'scripts/start.mjs'), '--data', this.data, '--port', '0', ...this.args], {
      cwd: ROOT,
      stdio: ['ignore', 'pipe', 'pipe'],
      // What a test sets in process.env is its own copy: child processes do not see it.
      env: { ...process.env, ...this.env },
    });
    this.started.push(script);
    let text = '';
    script.stdout.on('data', (chunk: Buffer) => (text += chunk.toString()));
    script.stderr.on('data', (chunk: Buffer) => (text += chunk.toString()));
    const ended = new Promise<Ended>((resolve) => script.once('exit', (code) => resolve({ code, output: text })));
    return { script, output: () => text, ended };
  }

  async start(): Promise<Run> {
    const { script, output } = this.launch();
    await until(`an address in: ${output()}`, () => /http:\/\/127\.0\.0\.1:\d+/.test(output()) || script.exitCode !== null);
    const url = /http:\/\/127\.0\.0\.1:\d+/.exec(output())?.[0];
    if (url === undefined || script.exitCode !== null) throw new Error(`the start failed: ${output()}`);
    return { script, url, serverPid: this.running().server };
  }

  /** Process ids as the start wrote them down. */
  running(): { server: number; workers: number[] } {
    return JSON.parse(readFileSync(path.join(this.data, 'running.json'), 'utf8')) as { server: number; workers: number[] };
  }

  /** The database servers that have our data folder on their command line. */
  postgresPids(): number[] {
    return readdirSync('/proc')
      .map(Number)
      .filter((pid) => pid > 0 && commandLine(pid)?.includes(`postgres -D ${this.data}/`));
  }

  async stop(run: Run): Promise<number | null> {
    const ended = new Promise<number | null>((resolve) => run.script.once('exit', resolve));
    run.script.kill('SIGINT');
    return ended;
  }

  async clear(): Promise<void> {
    for (const script of this.started) {
      if (script.exitCode !== null || script.signalCode !== null) continue;
      const gone = new Promise((resolve) => script.once('exit', resolve));
      script.kill('SIGINT');
      await gone;
    }
    rmSync(this.data, { recursive: true, force: true });
  }
}
