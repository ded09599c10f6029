import type { Element, ShotDetail } from '@ivrex/contract';
import { shutterAt, type Grade, type Lens, type ShutterPlan } from '@ivrex/core';
import { loadAround, loadInputs, loadNeighbour } from './blur-inputs';
import { planKey, surfaceKey, wantedBy } from './blur-keys';
import type { MovingJob } from './element-blur';

/** All that the blur of one moving element, or of one light pass, needs for a frame. */
export function movingJob(
  detail: ShotDetail,
  element: Element,
  shutter: ShutterPlan,
  frame: number,
  grade: Grade | null,
  lens: Lens | null,
): MovingJob {
  const { settings, passes, shot } = detail,
    pass = passes.find((p) => p.id === element.beauty);
  return {
    kind: 'moving',
    planKey: planKey(detail, element, frame),
    resultKey: `${surfaceKey(detail, element, shutter, frame)}/${JSON.stringify([grade, lens])}`,
    width: pass?.width ?? shot.width,
    height: pass?.height ?? shot.height,
    shutter: shutterAt(shutter, frame),
    samples: settings.samples,
    wanted: wantedBy(settings, shutter, frame),
    treatment: { limits: { floorPx: shutter.floorPx, ceilingPx: shutter.ceilingPx }, grade, lens },
    load: async () => {
      const now = await loadInputs(detail, element, frame);
      const { notes, ...around } = await loadAround(detail, element, frame, now);
      return { inputs: { ...now, ...around, path: settings.path, hidden: settings.hidden }, notes };
    },
    loadNeighbour: async (at) => {
      const now = await loadInputs(detail, element, frame),
        there = await loadNeighbour(detail, element, frame, at, await loadAround(detail, element, frame, now));
      if (there === null) return null;
      const { notes, ...inputs } = there;
      return { inputs: { ...inputs, path: settings.path, hidden: settings.hidden }, notes };
    },
  };
}
