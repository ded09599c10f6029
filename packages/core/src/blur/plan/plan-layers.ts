import { reachOf } from '../occlusion/picture-surface';
import type { SeparatedLayers } from '../edges/separate-layers';
import type { BlurPlan, PlannedLayer } from '../model/blur-plan';
import { giveBack, sharedCopy, sharedShorts } from '../model/shared-floats';
import type { Surfaces } from '../surfaces/surfaces';
import { cropLayer } from './crop-layer';
import { hiddenSources, reportOn } from './report';
import { tileTravel } from './tile-travel';

/** The plan of finished layers: nearest first, without what is empty or out of reach, with how far each goes in each tile. */
export function planLayers({ study, pictures, separatedPixels }: SeparatedLayers): BlurPlan {
  const { input, surfaces, rank } = study,
    { model } = study.paths;
  const hidden = hiddenSources(study, pictures);
  const layers: PlannedLayer[] = [],
    numberOf = new Uint16Array(surfaces.count);
  for (const picture of [...pictures.values()].sort((p, q) => rank[p.surface] - rank[q.surface])) {
    const cropped = cropLayer(picture, reachOf(study, picture.surface), input);
    if (cropped?.colour !== picture.colour) giveBack(picture.colour);
    if (cropped?.path.nodes !== picture.path.grid.nodes) giveBack(picture.path.grid.nodes);
    if (cropped !== null) numberOf[picture.surface] = layers.push({ ...cropped, tileTravel: tileTravel(cropped, input) });
  }
  return {
    width: input.width,
    height: input.height,
    sharp: sharedCopy(input.rgba),
    layers,
    layerOf: layersOfPixels(surfaces, numberOf),
    hidden,
    path: model === 'arc' ? 'arc' : 'line',
    reachFrames: study.reachFrames,
    report: reportOn(study, pictures, hidden, model, study.order.from, separatedPixels),
  };
}

function layersOfPixels({ of }: Surfaces, numberOf: Uint16Array): Uint16Array {
  const out = sharedShorts(of.length);
  for (let i = 0; i < of.length; i++) if (of[i] >= 0) out[i] = numberOf[of[i]];
  return out;
}
