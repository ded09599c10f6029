import type { Element, MadeName, MadeSource, ShotDetail, ShotSettings } from '@ivrex/contract';
import { cameraAt, IvrexError, orNull, type CameraTrack } from '@ivrex/core';
import type { MakeMotionRequest, MotionSource, PictureFile } from '@ivrex/media';
import type { Database } from '../db/database';
import { cameraTrackOf } from './camera-tracks';
import { passFileAt, pictureFileAt } from './frames';
import type { Resources } from './resources';
import { shotDetail } from './shots';

/** What the written passes are called, and what undo says. */
export const MADE_NAMES: Record<MadeSource['kind'], { readonly file: MadeName; readonly label: string }> = {
  camera: { file: 'motion_from_camera', label: 'Motion made from the camera' },
  pictures: { file: 'motion_from_pictures', label: 'Motion estimated from the pictures' },
  render: { file: 'motion_borrowed', label: 'Motion borrowed from another render' },
};

/** The folder of a made pass: the main element's has the plain name, others carry their own. */
export function madeNameOf(kind: MadeSource['kind'], { id }: Pick<Element, 'id'>): MadeName {
  return id === 'main' ? MADE_NAMES[kind].file : `${MADE_NAMES[kind].file}_${id}`;
}

/** Everything that is the same for all frames. */
export interface MotionPlan {
  readonly detail: ShotDetail;
  readonly source: MadeSource;
  readonly beauty: NonNullable<ShotSettings['elements'][number]['beauty']>;
  readonly frames: readonly number[];
  /** The beauty is a lone file. */
  readonly isOne: boolean;
  readonly track: CameraTrack | null;
  readonly other: ShotDetail | null;
}

/** @throws IvrexError badSetting, notFound */
export async function planMotion(services: Pick<Resources, 'database'>, detail: ShotDetail, source: MadeSource): Promise<MotionPlan> {
  const [{ beauty }] = detail.settings.elements;
  if (beauty === null) throw new IvrexError('badSetting', 'choose the beauty in step Passes first: motion is made for it');
  const pass = detail.passes.find((p) => p.id === beauty);
  const { firstFrame, lastFrame } = detail.shot;
  const frames = (pass?.frames ?? [firstFrame]).filter((f) => f >= firstFrame && f <= lastFrame);
  const track = source.kind === 'camera' ? await cameraTrackOf(services, detail, source.camera) : null;
  const other = source.kind === 'render' ? await shotDetail(services.database, source.shot) : null;
  return { detail, source, beauty, frames, isOne: (pass?.frames ?? null) === null, track, other };
}

/** What the workers are asked for one frame. `out` is null when nothing is to be written. @throws IvrexError missingFrame, badSetting */
export async function makeRequest(
  database: Database,
  plan: MotionPlan,
  frame: number,
  out: string | null,
): Promise<{ request: MakeMotionRequest; warnings: string[] }> {
  const { detail, beauty, isOne } = plan;
  const picture = (at: number) => pictureFileAt(database, beauty, at, { settings: detail.settings });
  const beside = async (at: number): Promise<PictureFile | null> => (isOne ? null : orNull(() => picture(at)));
  const { source, warnings } = await sourceAt(database, plan, frame);
  return {
    request: {
      beauty: { previous: await beside(frame - 1), now: await picture(frame), next: await beside(frame + 1) },
      source,
      out,
      comment: `${MADE_NAMES[plan.source.kind].label}, ${detail.shot.name}, frame ${frame}`,
    },
    warnings,
  };
}

async function sourceAt(
  database: Database,
  { detail, source, track, other }: MotionPlan,
  frame: number,
): Promise<{ source: MotionSource; warnings: string[] }> {
  switch (source.kind) {
    case 'pictures':
      return { source, warnings: [] };
    case 'render': {
      if (other === null) throw new IvrexError('notFound', 'the other render is no longer there');
      const [element] = other.settings.elements;
      if (element.motion === null || element.encoding === null)
        throw new IvrexError('badSetting', `agree on a reading of ${other.shot.name}'s motion first`);
      const at = frame + source.offset;
      const motion = await passFileAt(database, element.motion, at, other.settings);
      const { beauty } = element;
      const needsAlpha = beauty !== null && (element.encoding.premultiplied || element.repairs.some((r) => r.on));
      return {
        source: {
          kind: 'render',
          motion,
          encoding: element.encoding,
          repairs: element.repairs,
          fps: other.settings.fps ?? other.shot.fps,
          beauty: needsAlpha ? await orNull(() => pictureFileAt(database, beauty, at, { settings: other.settings })) : null,
        },
        warnings: [],
      };
    }
    case 'camera': {
      if (track === null) throw new IvrexError('notFound', 'the camera is no longer there');
      const [previous, now, next] = [frame - 1, frame, frame + 1].map((f) => cameraAt(track, f));
      const passFile = (pass: (typeof detail.passes)[number]['id']) => passFileAt(database, pass, frame, detail.settings);
      const { surface, velocity } = source;
      return {
        source: {
          kind: 'camera',
          cameras: { previous: previous.camera, now: now.camera, next: next.camera },
          surface:
            surface.kind === 'card'
              ? { kind: 'card', distance: surface.distance, facing: cameraAt(track, surface.frame).camera }
              : surface.kind === 'position'
                ? { kind: 'position', pass: await passFile(surface.pass) }
                : {
                    kind: 'depth',
                    pass: {
                      ...(await passFile(surface.pass)),
                      encoding: surface.encoding ?? detail.settings.elements.find((e) => e.depth === surface.pass)?.depthEncoding ?? null,
                    },
                    measured: surface.measured,
                  },
          velocity: velocity === null ? null : { pass: await passFile(velocity.pass), encoding: velocity.encoding },
          fps: detail.settings.fps ?? detail.shot.fps,
        },
        warnings: [previous, now, next].some((c) => c.continued)
          ? [`The camera is not known one frame beyond its ends (frame ${frame}): its motion was carried on evenly.`]
          : [],
      };
    }
  }
}
