import type { ExposureShape } from './exposure-shape';
import { shutterAngleDeg } from './shutter';
import type { ShutterPlan } from './shutter-plan';

const SHAPES: Record<ExposureShape['kind'], string> = { even: '', ramps: ', soft-edged', bell: ', bell-shaped' };

/** A shutter in one line: its angle, when it opens and closes, and what else is not as usual. */
export function describeShutter(shutter: ShutterPlan): string {
  const angle = shutterAngleDeg(shutter).toFixed(1).replace(/\.0$/, '');
  const strength = shutter.keys.length > 0 ? ', strength by keys' : shutter.strength === 1 ? '' : `, strength ${shutter.strength}`;
  const limits = [
    shutter.floorPx === null ? '' : `, sharp below ${shutter.floorPx} px a frame`,
    shutter.ceilingPx === null ? '' : `, at most ${shutter.ceilingPx} px a frame`,
  ];
  return `${angle} degrees, ${shutter.opens.toFixed(3)} to ${shutter.closes.toFixed(3)} frames${SHAPES[shutter.shape?.kind ?? 'even']}${strength}${limits.join('')}`;
}
