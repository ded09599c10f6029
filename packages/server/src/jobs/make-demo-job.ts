import path from 'node:path';
import { fileURLToPath } from 'node:url';
import { makeDemo } from '@ivrex/demo';
import type { Config } from '../config/config';
import { bringIn } from '../services/bring-in';
import type { Services, WorkBoard } from '../services/services';

/** Makes what is missing of the demo production while the application is in use; its shot appears as soon as it can be opened. */
export class DemoJob implements WorkBoard {
  private state: ReturnType<WorkBoard['list']>[number] | null = null;

  constructor(private readonly config: Config) {}

  list(): ReturnType<WorkBoard['list']> {
    return this.state === null ? [] : [this.state];
  }

  async run(services: Pick<Services, 'database' | 'config' | 'log'>): Promise<void> {
    const label = 'Making the demo production, The Tidal Clock';
    const started = Date.now();
    let first = -1;
    let shown = false;
    const shotFolder = path.join(this.config.demoFolder, 'TC_010');
    // Looks at the folder follow one another, so that a later one never loses to an earlier one.
    let looks: Promise<unknown> = Promise.resolve();
    const look = () => (looks = looks.then(() => bringIn(services, shotFolder)));
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
          // With all of the heron's passes the shot is there. Now and then the rest is taken in.
          const whole = open.every((demo) => demo.kind !== 'heron');
          if (whole && (!shown || done % 8 === 0)) {
            shown = true;
            look().catch((error: unknown) => services.log.warn({ err: error }, 'the demo shot could not be brought in yet'));
          }
        },
      });
      await look();
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
