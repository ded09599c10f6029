import { mixReach, type BlurQuality, type Shutter, type SpeedFigures, type Treatment, type WantedNeighbours } from '@ivrex/core';
import { BlurPreview, type PreviewPicture } from '../workers/blur-preview';
import { RENDER_THREADS, startBlurThread } from '../workers/blur-threads';
import type { FrameInputs, PlanSlot } from '../workers/blur-work';

/** One moving element, or one light pass, of one frame. */
export interface MovingJob {
  readonly kind: 'moving';
  /** Everything that its plan depends on, but for its reach. */
  readonly planKey: string;
  /** Everything that the blurred element depends on. */
  readonly resultKey: string;
  readonly width: number;
  readonly height: number;
  readonly shutter: Shutter;
  readonly samples: 'auto' | number;
  /** In pixels of the full picture. */
  readonly treatment: Treatment;
  /** Neighbours that an exact picture is mixed with. */
  readonly wanted: WantedNeighbours;
  load(): Promise<{ inputs: Omit<FrameInputs, 'reachFrames'>; notes: readonly string[] }>;
  /** A neighbour as a frame of its own; null where it is not there. */
  loadNeighbour(at: -1 | 1): Promise<{ inputs: Omit<FrameInputs, 'reachFrames'>; notes: readonly string[] } | null>;
}

export interface BlurredPicture {
  readonly picture: PreviewPicture;
  readonly notes: readonly string[];
}

/** Larger pictures are worked on as smaller ones: about what a screen shows. */
const SCREEN_WIDTH = 1280,
  SCREEN_HEIGHT = 720;

/** How many times smaller a draft is. */
export function draftFactor({ width, height }: { readonly width: number; readonly height: number }): number {
  return Math.max(1, Math.ceil(Math.max(width / SCREEN_WIDTH, height / SCREEN_HEIGHT)));
}

/** Lengths in pixels of a picture that is `factor` times smaller. */
export function scaledTreatment({ limits, grade, lens }: Treatment, factor: number): Treatment {
  const by = (v: number | null) => (v === null ? null : v / factor);
  return {
    limits: { floorPx: by(limits.floorPx), ceilingPx: by(limits.ceilingPx) },
    grade,
    lens: lens && { ...lens, farPx: lens.farPx / factor, nearPx: lens.nearPx / factor, mostPx: lens.mostPx / factor },
  };
}

/** The blur of one element. The plan that drafts are made of is kept as long as it holds; a larger one for the exact picture is given up at once. */
export class ElementBlur {
  private readonly preview = new BlurPreview(startBlurThread, RENDER_THREADS);
  private base = '';
  /** Of the frame that its plan is of. */
  speeds: SpeedFigures | null = null;
  private readonly held = new Map<PlanSlot, readonly string[]>();

  /** Null when a newer request took its place. */
  async picture(job: MovingJob, quality: BlurQuality, factor = quality === 'draft' ? draftFactor(job) : 1): Promise<BlurredPicture | null> {
    const smaller = draftFactor(job),
      slot = factor === 1 ? 'full' : 'screen';
    const reach = mixReach(job.wanted, job.shutter);
    const base = `${job.planKey}/${reach}`;
    if (base !== this.base) {
      this.preview.forget();
      this.held.clear();
      this.base = base;
    }
    if (!this.held.has(slot)) {
      const { inputs, notes } = await job.load();
      this.speeds = await this.preview.speeds(inputs);
      const plan = await this.preview.prepare(slot, { ...inputs, reachFrames: reach }, factor);
      if (plan === null) return null;
      this.held.set(slot, [...plan.report.warnings, ...notes]);
    }
    if (quality === 'final')
      for (const at of job.wanted.at)
        await this.preview.prepareNeighbour(at, async () => {
          const there = await job.loadNeighbour(at);
          return there && { ...there.inputs, reachFrames: reach };
        });
    const { shutter, samples } = job;
    const treatment = scaledTreatment(job.treatment, factor);
    const picture = await this.preview.render({ slot, shutter, quality, samples, treatment, visible: null, mix: job.wanted });
    const notes = [...(this.held.get(slot) ?? []), ...(picture?.report.notes ?? [])];
    if (slot === 'full' && smaller > 1) {
      this.held.delete(slot);
      await this.preview.drop(slot);
    }
    return picture && { picture, notes };
  }

  close(): void {
    this.preview.close();
  }
}
