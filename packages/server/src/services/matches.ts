import { createHash } from 'node:crypto';
import type {
  ElementId,
  MatchOrder,
  MatchReport,
  NamedStateId,
  PassId,
  ShotDetail,
  ShotId,
  ShotSettings,
  StreakOrder,
  StreakReport,
  TrustReport,
} from '@ivrex/contract';
import { focusOn, lightPassesOf, packRaster, roleOf, shutterOfElement, surfaceOf, withoutLights } from '@ivrex/contract';
import { IvrexError, orNull } from '@ivrex/core';
import { assembledFrame, assembleFrame, blurFrame, frameSources, framesToMatch, MOST_MATCH_FRAMES } from '@ivrex/media';
import { findNamedState } from '../db/queries/find-named-state';
import { findShutterMatch } from '../db/queries/find-shutter-match';
import { insertShutterMatch } from '../db/queries/insert-shutter-match';
import { pictureFileAt } from './frames';
import { keyOf } from './motion-readings';
import { Recent } from './recent';
import type { Resources } from './resources';
import { measuredBook } from './measured-depth';
import { shotDetail } from './shots';

type MatchServices = Pick<Resources, 'database' | 'pool' | 'depths'>;

/** Another one where what a match says has changed its form. */
const MATCH_FORM = 'match 1';

/** Of maps and of blurred frames each: about 17 maps and 60 frames of 960 x 540. */
const MOST_BYTES = 256 * 2 ** 20;

/** How a shot is compared with what it should look like: found shutters, streaks, trust maps, and blurred frames of any state. */
export class Matches {
  private readonly maps = new Recent<{ readonly said: TrustReport; readonly raster: Uint8Array }>(
    MOST_BYTES,
    ({ raster }) => raster.byteLength,
  );
  private readonly blurs = new Recent<Uint8Array>(MOST_BYTES, (pixels) => pixels.byteLength);

  constructor(private readonly services: MatchServices) {}

  /** The shutter that comes closest to a reference. What was found is kept. @throws IvrexError badSetting, missingFrame */
  async fit(shotId: ShotId, order: MatchOrder, element: ElementId | null = null): Promise<MatchReport> {
    const { database, pool } = this.services;
    const detail = await shotDetail(database, shotId, element);
    const key = keyOf(detail, [MATCH_FORM, order, blurChoices(detail.settings)]);
    const known = await findShutterMatch(database, shotId, key);
    if (known !== null) {
      await insertShutterMatch(database, shotId, key, known);
      return known;
    }
    // A reference shows the light passes too.
    const book = await measuredBook(this.services, shotId, withoutLights(detail.settings));
    const frames = framesOf(detail, order).map((frame) => ({
      frame,
      sources: frameSources(book, frame).sources,
      reference: book.pictureAt(order.reference, frame),
    }));
    const { path, hidden, elements } = detail.settings;
    const found = await pool.run<'match'>({
      kind: 'match',
      request: { frames, path, hidden, limits: shutterOfElement(detail.settings, elements[0]), locks: order.locks, grade: order.grade },
    });
    const report: MatchReport = { match: found.match, warnings: [...found.warnings], reference: order.reference };
    await insertShutterMatch(database, shotId, key, report);
    return report;
  }

  /** The newest match of the shot. */
  async newest(shotId: ShotId): Promise<MatchReport | null> {
    return findShutterMatch(this.services.database, shotId, null);
  }

  /** @throws IvrexError missingFrame, or about the plate's file */
  async streaks(shotId: ShotId, { plate, frame, lines }: StreakOrder): Promise<StreakReport> {
    const { database, pool } = this.services;
    const { settings } = await shotDetail(database, shotId);
    const at = (f: number) => pictureFileAt(database, plate, f, { settings });
    const { streaks, combined } = await pool.run<'streaks'>({
      kind: 'streaks',
      request: { previous: await orNull(() => at(frame - 1)), now: await at(frame), next: await orNull(() => at(frame + 1)), lines },
    });
    return { streaks: [...streaks], combined };
  }

  /** Where a frame's blur, as it is set now, can't be trusted. @throws IvrexError badSetting, missingFrame */
  async trust(shotId: ShotId, frame: number, element: ElementId | null = null): Promise<TrustReport> {
    return this.trustOf(await shotDetail(this.services.database, shotId, element), frame);
  }

  /** The same of any state of the shot: the first element of its settings. */
  async trustOf(detail: ShotDetail, frame: number): Promise<TrustReport> {
    const { pool } = this.services;
    const shotId = detail.shot.id,
      blurred = blurFrame(await measuredBook(this.services, shotId, detail.settings), frame),
      { limits, settings } = blurred;
    const map = hashOf([
      shotId,
      keyOf(detail, [blurChoices(detail.settings), frame]),
      settings.shutter,
      limits?.floorPx,
      limits?.ceilingPx,
    ]);
    const { said } = await this.maps.of(map, async () => {
      const { raster, verdict, warnings } = await pool.run<'trust'>({ kind: 'trust', request: blurred });
      return { said: { map, frame, verdict, warnings: [...warnings], cost: costOf(detail) }, raster };
    });
    return said;
  }

  /** The pixels of a map that was made lately. @throws IvrexError notFound */
  async trustMap(map: string): Promise<Uint8Array> {
    const known = await this.maps.get(map);
    if (known === null) throw new IvrexError('notFound', 'this trust map is no longer kept; it is made again when it is asked for');
    return known.raster;
  }

  /** A frame under a named state of the shot, as halves for the page. @throws IvrexError notFound, badSetting, missingFrame */
  async blurOfState(shotId: ShotId, stateId: NamedStateId, frame: number, element: ElementId | null = null): Promise<Uint8Array> {
    const { database, pool } = this.services;
    const state = await findNamedState(database, shotId, stateId);
    if (state === null) throw new IvrexError('notFound', 'there is no such state; it may have been removed');
    const detail = await shotDetail(database, shotId);
    return this.blurs.of(hashOf([shotId, detail.look, state.settings, frame, element]), async () => {
      const settings = focusOn(state.settings, element);
      const { rgba, width, height } = await pool.blur(blurFrame(await measuredBook(this.services, shotId, settings), frame));
      return packRaster({ width, height, format: 'rgba16f', names: ['rgba'] }, [
        await pool.run<'halves'>({ kind: 'halves', values: rgba }),
      ]);
    });
  }

  /** A frame of the assembled shot as it is set now, as halves for the page. @throws IvrexError notFound, badSetting, missingFrame */
  async assembled(shotId: ShotId, frame: number): Promise<Uint8Array> {
    const { database, pool } = this.services;
    const detail = await shotDetail(database, shotId);
    return this.blurs.of(hashOf([shotId, detail.look, 'assembled', detail.settings, frame]), async () => {
      const { width, height, ...rest } = assembledFrame(await measuredBook(this.services, shotId, detail.settings), frame);
      const { rgba } = await assembleFrame(pool, { width, height, ...rest });
      return packRaster({ width, height, format: 'rgba16f', names: ['rgba'] }, [
        await pool.run<'halves'>({ kind: 'halves', values: rgba }),
      ]);
    });
  }
}

function hashOf(parts: unknown): string {
  return createHash('sha256').update(JSON.stringify(parts)).digest('hex');
}

/** What a blur depends on besides files and shutter. */
function blurChoices(settings: ShotSettings): unknown {
  const { elements, path, hidden, bothFrames, background, samples } = settings,
    [element] = elements;
  return [element, path, hidden, bothFrames, background, samples, surfaceOf(settings, element), ...lightPassesOf(settings, element)];
}

/** Frames that the reference and the element share; a few of many. */
function framesOf(detail: ShotDetail, { reference, frames }: MatchOrder): number[] {
  const framesOfPass = (id: PassId | null) => detail.passes.find((p) => p.id === id)?.frames ?? null;
  const [{ beauty, motion }] = detail.settings.elements;
  const there = framesOfPass(reference) ?? [detail.shot.firstFrame];
  const wanted = there.filter(
    (f) => [beauty, motion].every((id) => framesOfPass(id)?.includes(f) ?? true) && (frames?.includes(f) ?? true),
  );
  if (wanted.length === 0)
    throw new IvrexError('missingFrame', 'the reference has no frame in common with the beauty and the motion pass (see step Passes)');
  return frames === null ? framesToMatch(wanted) : wanted.slice(0, MOST_MATCH_FRAMES);
}

/** In-render blur usually takes this many times as long; said when no reference's header tells. */
const USUAL_MULTIPLE = 4;

/** What the shot's frames took to render, and what they would take with their blur. */
export function costOf({ passes, settings, shot }: ShotDetail): TrustReport['cost'] {
  const secondsOf = (id: PassId | null): number | null => {
    const fact = passes.find((p) => p.id === id)?.facts.find((f) => RENDER_TIME.test(f.name));
    return fact === undefined ? null : parseSeconds(fact.value);
  };
  const [{ beauty }] = settings.elements;
  const sharpSeconds = secondsOf(beauty);
  const references = passes.flatMap((p) => (roleOf(settings, p) === 'reference' ? [secondsOf(p.id) ?? 0] : []));
  const measured = Math.max(0, ...references);
  return {
    frames: passes.find((p) => p.id === beauty)?.frames?.length ?? shot.lastFrame - shot.firstFrame + 1,
    sharpSeconds,
    blurredSeconds: measured > 0 ? measured : sharpSeconds === null ? null : sharpSeconds * USUAL_MULTIPLE,
    isMeasured: measured > 0,
  };
}

/** No standard attribute says it; renderers use names like these. */
const RENDER_TIME = /render.?time/i;

/** "312", "312.5" or "h:mm:ss". Null when it is neither. */
export function parseSeconds(text: string): number | null {
  const parts = text.trim().split(':').map(Number);
  if (parts.length > 3 || parts.some((v) => !Number.isFinite(v) || v < 0) || text.trim() === '') return null;
  return parts.reduce((sum, v) => sum * 60 + v, 0);
}
