import type { ShotId } from '@ivrex/contract';
import { findShotLook } from '../db/queries/find-shot-look';
import { bringIn } from './bring-in';
import { shotSignature } from './made-folders';
import type { Resources } from './resources';

/** A shot that nobody asked for in this time is not watched. */
const WATCHED_MS = 30000,
  EVERY_MS = 2500;

/** Frames may still be arriving: shots that somebody has open are looked at again when their folder has changed. */
export class ShotWatch {
  private readonly asked = new Map<ShotId, number>();
  private timer: NodeJS.Timeout | null = null;

  constructor(private readonly services: Resources) {}

  /** Somebody looks at this shot now. */
  see(shotId: ShotId): void {
    this.asked.set(shotId, this.services.now().getTime());
  }

  start(): void {
    const round = async () => {
      await this.round().catch((error: unknown) => this.services.log.warn({ err: error }, 'watching the open shots failed'));
      this.timer = setTimeout(() => void round(), EVERY_MS);
    };
    this.timer = setTimeout(() => void round(), EVERY_MS);
  }

  stop(): void {
    if (this.timer !== null) clearTimeout(this.timer);
  }

  /** One look at every open shot. Returns those that had changed. */
  async round(): Promise<ShotId[]> {
    const changed: ShotId[] = [],
      now = this.services.now().getTime();
    for (const [shotId, at] of this.asked) {
      if (now - at > WATCHED_MS) this.asked.delete(shotId);
      else if (await this.look(shotId)) changed.push(shotId);
    }
    return changed;
  }

  private async look(shotId: ShotId): Promise<boolean> {
    const known = await findShotLook(this.services.database, shotId);
    if (known === null) return false;
    const signature = await shotSignature(this.services.config, known.folder, shotId).catch(() => known.signature);
    if (signature === known.signature) return false;
    await bringIn(this.services, known.folder).catch((error: unknown) =>
      this.services.log.warn({ err: error, shotId }, 'a changed folder could not be looked at'),
    );
    return true;
  }
}
