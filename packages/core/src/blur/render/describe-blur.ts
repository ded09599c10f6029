import type { Shutter } from '../../shutter/shutter';
import type { SpeedLimits } from '../../shutter/shutter-plan';
import type { PlanReport } from '../model/blur-plan';

/** What a blurred picture was made with, in one line: for its header. */
export function describeBlur(report: PlanReport, shutter: Shutter, limits: SpeedLimits | null, mostSlices: number): string {
  const { shape = { kind: 'even' } } = shutter;
  const percent = (share: number) => `${(100 * share).toFixed(1)} %`;
  const exposure = shape.kind === 'ramps' ? `ramps ${shape.opening} and ${shape.closing}` : shape.kind;
  return [
    `shutter ${shutter.opens} to ${shutter.closes} frames, strength ${shutter.strength}, exposure ${exposure}`,
    ...(limits?.floorPx ? [`sharp below ${limits.floorPx} px`] : []),
    ...(limits?.ceilingPx ? [`no faster than ${limits.ceilingPx} px`] : []),
    `paths ${report.pathModel}${report.changesPace ? ' with changes of pace' : ''}`,
    `${report.layerCount} ${report.layerCount === 1 ? 'surface' : 'surfaces'} by ${report.layersFrom}, order by ${report.orderFrom === 'neighbours' ? 'occlusion' : report.orderFrom}`,
    `hidden parts found ${percent(report.seenShare)}, made up ${percent(report.inpaintedShare)}${report.neighbours.length > 0 ? `, frames looked at: ${report.neighbours.join(' and ')}` : ''}`,
    ...(report.mixed.length > 0 ? [`mixed with the frame ${report.mixed.join(' and the frame ')}: ${percent(report.mixedShare)}`] : []),
    `up to ${mostSlices} slices`,
  ].join('; ');
}
