import type { Look, ViewState } from '../../viewer/view-store';

const LOOK_KEYS: Record<string, Look> = {
  a: 'contact',
  s: 'sharp',
  b: 'blurred',
  w: 'wipe',
  d: 'directions',
  h: 'speed',
  r: 'residual',
  c: 'compare',
  v: 'assembled',
};
/** Places that values are pinned at. */
const MOST_PINS = 6;

/** What the focused control makes of keys itself. */
export interface KeyTarget {
  readonly takesSpace: boolean;
  readonly takesArrows: boolean;
}

/** Keys that change what is shown of a shot: what they change it to, null for all others. `held` keys are those of `lookBack`. */
export function viewAfter(
  { key, shiftKey }: { readonly key: string; readonly shiftKey: boolean },
  view: Readonly<ViewState>,
  { firstFrame, lastFrame }: { readonly firstFrame: number; readonly lastFrame: number },
  target: KeyTarget,
): Partial<ViewState> | null {
  const move = (by: number) => ({ playing: false, frame: Math.min(lastFrame, Math.max(firstFrame, view.frame + by)) });
  const expose = (by: number) => ({ exposure: Math.min(6, Math.max(-6, view.exposure + by)) });
  const { pointer } = view,
    letter = key.toLowerCase();
  if (letter in LOOK_KEYS) return { look: LOOK_KEYS[letter] };
  switch (letter) {
    case 'f':
      return { flicked: true };
    case 'u':
      return { unrepaired: true };
    case 'n':
      return { needles: !view.needles };
    case 't':
      return { paths: !view.paths };
    case ' ':
      return target.takesSpace ? null : { playing: !view.playing };
    case 'arrowleft':
    case 'arrowright':
      return target.takesArrows ? null : move((letter === 'arrowleft' ? -1 : 1) * (shiftKey ? 10 : 1));
    case 'p':
      return pointer === null
        ? null
        : { pins: [...view.pins.filter((p) => p.x !== pointer.x || p.y !== pointer.y), pointer].slice(-MOST_PINS) };
    case '0':
      return { placement: null };
    case '+':
    case '=':
      return expose(0.5);
    case '-':
      return expose(-0.5);
    default:
      return null;
  }
}

/** What letting go of a held key takes back; null for all others. */
export function viewAfterLettingGo(key: string): Partial<ViewState> | null {
  switch (key.toLowerCase()) {
    case 'f':
      return { flicked: false };
    case 'u':
      return { unrepaired: false };
    default:
      return null;
  }
}
