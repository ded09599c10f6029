import type { ShotDetail } from '@ivrex/contract';
import type { CompareState, LoadedSide } from './compare-state';
import { isPlanLook } from './plan-looks';
import type { RasterState } from './use-raster';
import type { AssembledView, Look } from './view-store';

// What the viewer says about the picture that it shows (note), and why there is none (message).

export function noteOfCompare({ way, gain, signed }: CompareState, { a, b }: Record<'a' | 'b', LoadedSide>): string | null {
  const waits = [a, b].some((side) => side.status === 'loading') ? 'loading' : null;
  const how =
    way === 'difference'
      ? `A less B, ${gain} times${signed ? ', grey is equal' : ''}`
      : way === 'error'
        ? `the largest difference of any channel, ${gain} times`
        : way === 'flick'
          ? 'A; hold F for B'
          : null;
  return [how, waits].filter((part) => part !== null).join(', ') || null;
}

export function messageOfSides({ a, b }: Record<'a' | 'b', LoadedSide>): string | null {
  const failed = [a.status === 'failed' ? `A: ${a.message}` : null, b.status === 'failed' ? `B: ${b.message}` : null];
  return failed.filter((part) => part !== null).join(' ') || null;
}

export function noteOf(look: Look, blurred: { quality: string; slices: number; isOld?: boolean } | null): string | null {
  if (look !== 'blurred' && look !== 'wipe') return null;
  return blurred === null || (blurred.isOld === true && blurred.quality === 'final')
    ? 'making the blur'
    : blurred.quality === 'draft'
      ? 'draft'
      : `exact, up to ${blurred.slices} slices`;
}

export function noteOfAssembled(whole: AssembledView | null, frame: number): string | null {
  if (whole !== null && whole.frame !== frame) return `putting the elements together; this is still ${whole.frame}`;
  if (whole === null || whole.isOld === true) return 'putting the elements together';
  return whole.quality === 'draft' ? 'draft' : 'exact';
}

export function messageOf(state: RasterState, look: Look, detail: ShotDetail, hasField: boolean): string | null {
  if (state.status === 'failed') return state.message;
  const [element] = detail.settings.elements;
  if (element.beauty === null && look !== 'pass') return 'No pass is marked as beauty. Choose one in step Passes.';
  if ((['blurred', 'wipe', 'directions', 'speed', 'residual'].includes(look) || isPlanLook(look)) && element.encoding === null && !hasField)
    return 'This look needs decoded motion. Say how it is stored in step Motion.';
  return null;
}
