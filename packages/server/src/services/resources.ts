import type { DeliveryId, Priority } from '@ivrex/contract';
import type { BlurPool } from '@ivrex/media';
import type { Logger } from 'pino';
import type { Config } from '../config/config';
import type { Database } from '../db/database';
import type { FolderLooks } from './folder-looks';
import type { Recent } from './recent';
import type { DepthDetection } from '@ivrex/core';

/** What every use case works with. No globals. */
export interface Resources {
  readonly database: Database;
  readonly pool: BlurPool;
  readonly config: Config;
  readonly log: Logger;
  readonly now: () => Date;
  readonly queue: DeliveryQueue;
  readonly work: WorkBoard;
  readonly looks: FolderLooks;
  /** Pixels for pages, see `frameRaster`. */
  readonly rasters: Recent<Uint8Array>;
  /** What was measured of depth passes, see `measureDepth`. */
  readonly depths: Recent<DepthDetection>;
}

/** The job queue as services see it. */
export interface DeliveryQueue {
  /** Frames that wait, in jobs of a few. */
  sendFrames(id: DeliveryId, frames: readonly number[], priority: Priority): Promise<void>;
  /** The last part of a delivery, after its frames. */
  sendFinish(id: DeliveryId): Promise<void>;
  /** Deliveries with jobs that nobody has taken yet. */
  queued(): Promise<ReadonlySet<string>>;
  /** Takes jobs back that nobody has taken yet. */
  forget(id: DeliveryId): Promise<void>;
  changePriority(id: DeliveryId, priority: Priority): Promise<void>;
}

/** Background work other than deliveries, told while it runs. */
export interface WorkBoard {
  list(): readonly {
    kind: string;
    label: string;
    state: 'running' | 'done' | 'failed';
    done: number;
    total: number;
    secondsLeft: number | null;
    error: string | null;
  }[];
}
