import path from 'node:path';
import { fileURLToPath } from 'node:url';
import { makeDemo, type DemoFile, type DemoShot } from '@ivrex/demo';
import type { Config } from '../config/config';
import { bringIn } from '../services/bring-in';
import type { Resources, WorkBoard } from '../services/resources';

/** The passes that each shot can't do without. */
const NEEDED: readonly (readonly [DemoShot, readonly DemoFile['kind'][]])[] = [
  ['TC_010', ['heron']],
  ['TC_020', ['beauty', 'motion']],
  ['TC_030', ['spray', 'velocity']],
  ['TC_040', ['float']],
  ['TC_050', ['dredger']],
];

/** Makes what is missing of the demo production while the application is in use; its shot appears as soon as it can be opened. */
export class DemoJob implements WorkBoard {
  private state: ReturnType<WorkBoard['list']>[number] | null = null;

  constructor(private readonly config: Config) {}

  list(): ReturnType<WorkBoard['list']> {
    return this.state === null ? [] : [this.state];
  }

  async run(services: Pick<Resources, 'database' | 'config' | 'log' | 'pool' | 'looks'>): Promise<void> {
    const label = 'Making the demo production, The Tidal Clock';
    const started = Date.now();
    let first = -1;
    const shown = new Set<DemoShot>();
    const look = (shot: DemoShot) => bringIn(services, path.join(this.config.demoFolder, shot));
    const trouble = (error: unknown) => services.log.warn({ err: error }, 'a demo shot could not be brought in yet');
    try {
      await makeDemo({
        folder: this.config.demoFolder,
        threads: Math.max(1, this.config.threads),
        kernelsWasm: this.config.kernelsWasm,
        workerFile: fileURLToPath(new URL('./demo-worker.mjs', import.meta.url)),
        onProgress: (done, total, open) => {
          if (first < 0) first = done;
          const made = done - first;
          const secondsLeft = made === 0 ? null : ((Date.now() - started) / 1000 / made) * (total - done);
          this.state = { kind: 'demo', label, state: 'running', done, total, secondsLeft, error: null };
          // A shot is there as soon as the passes that it can't do without are; the rest is taken in while it is open.
          for (const [shot, needs] of NEEDED)
            if (!shown.has(shot) && !open.some((demo) => demo.shot === shot && needs.includes(demo.kind))) {
              shown.add(shot);
              look(shot).catch(trouble);
            }
        },
      });
      for (const [shot] of NEEDED) await look(shot);
      if (this.state) this.state = { ...this.state, state: 'done', secondsLeft: null };
    } catch (error) {
      services.log.error({ err: error }, 'the demo production could not be made');
      const message = error instanceof Error ? error.message : String(error);
      this.state = {
        kind: 'demo',
        label,
        state: 'failed',
        done: this.state?.done ?? 0,
        total: this.state?.total ?? 0,
        secondsLeft: null,
        error: message,
      };
    }
  }
}
