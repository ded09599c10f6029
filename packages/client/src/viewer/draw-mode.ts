import type { CompareState } from './compare-state';
import type { DrawState } from './gl-picture';
import type { Look } from './view-store';

/** How the pictures that are there are drawn under a look. */
export function modeOf(look: Look, hasBlur: boolean, hasField: boolean): 'a' | 'b' | 'wipe' | 'directions' | 'speed' {
  switch (look) {
    case 'sharp':
    case 'pass':
    case 'contact':
    case 'difference':
    case 'compare':
    case 'trust':
    case 'assembled':
    case 'residual':
    case 'layers':
    case 'bends':
    case 'hidden':
    case 'slices':
    case 'frames':
      return 'a';
    case 'blurred':
      return hasBlur ? 'b' : 'a';
    case 'wipe':
      return hasBlur ? 'wipe' : 'a';
    case 'directions':
    case 'speed':
      return hasField ? look : 'a';
  }
}

/** The wipe's edge as it is drawn. */
export function edgeOf(look: Look, wipe: number, { edge }: CompareState): DrawState['edge'] {
  if (look !== 'compare') return { x: wipe, y: 0.5, toX: 1, toY: 0 };
  const turn = (edge.angleDeg * Math.PI) / 180;
  return { x: edge.x, y: edge.y, toX: Math.cos(turn), toY: Math.sin(turn) };
}

/** As long as one picture is missing the other one is shown. */
export function modeOfCompare({ way }: CompareState, flicked: boolean, hasA: boolean, hasB: boolean): DrawState['mode'] {
  if (!hasA || !hasB) return hasB ? 'b' : 'a';
  if (way === 'flick' || flicked) return flicked ? 'b' : 'a';
  return way;
}
