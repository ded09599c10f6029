import { assertNever, IvrexError } from '../../errors';
import { directionsOf, solve3, type Camera } from '../../camera/camera';
import { emptyMotionField, type MotionField } from '../../raster/motion-field';
import type { SceneVelocity } from './scene-velocity';

/** Where the surface that a pixel shows lies in the scene. Planes over the display window. */
export type Surface =
  /** Scene units, along the view axis or straight from the eye; 0 and NaN are no surface, infinity is the sky. */
  | { readonly kind: 'depth'; readonly depth: Float32Array; readonly measured: DepthKind }
  /** A world-position pass. */
  | { readonly kind: 'position'; readonly x: Float32Array; readonly y: Float32Array; readonly z: Float32Array }
  /** A flat card, upright before the camera `facing` at this distance, that stays in the scene. */
  | { readonly kind: 'card'; readonly distance: number; readonly facing: Camera };
export type DepthKind = 'alongView' | 'fromEye';

export interface DeriveInput {
  readonly width: number;
  readonly height: number;
  readonly previous: Camera;
  readonly now: Camera;
  readonly next: Camera;
  readonly surface: Surface;
  /** What moves by itself; null: nothing does. */
  readonly velocity: SceneVelocity | null;
  /** The picture's alpha: where it is 0 there is no surface. Null: everywhere is one. */
  readonly coverage: Float32Array | null;
}

export interface DerivedMotion {
  readonly field: MotionField;
  /**
   * World positions only: how far from its pixel's middle a position is seen, in the median, pixels. More than one says that camera and
   * pass do not belong together. Null with other surfaces, which are on their pixel by construction.
   */
  readonly offByPx: number | null;
}

/** Renderers write this and more where they hit nothing: the sky, which only turns with the camera. */
const NOTHING = 1e9,
  SKY = 1e7;

/**
 * Screen motion of a scene seen by a moving camera: the surface point of each pixel is found in the scene and seen again with the cameras
 * of the frame before and after (Hartley and Zisserman 2004, chapter 6). Exact for what stands still; what moves needs `velocity`.
 * @throws IvrexError badSetting, sizeMismatch
 */
export function deriveMotion(input: DeriveInput): DerivedMotion {
  const { width, height, surface, now, next, previous, velocity, coverage } = input;
  const count = width * height;
  checkSizes(input, count);
  const field = emptyMotionField(width, height, true);
  const { toNext, toPrevious, valid } = field;
  const find = pointFinder(input);
  const walk = velocity === null ? null : walker(velocity, now);
  const point = new Float64Array(3),
    moved = new Float64Array(3),
    here = new Float64Array(2),
    there = new Float64Array(2),
    back = new Float64Array(2);
  // One frame on, or back: where the point is then, and with which camera it is looked at.
  const seeThen = (i: number, way: 1 | -1, camera: Camera, out: Float64Array): boolean => {
    if (walk === null) return see(camera, point, out);
    const viewer = walk(point, i, way, camera, moved);
    return viewer !== null && see(viewer, moved, out);
  };
  const off: number[] = [];
  for (let y = 0, i = 0; y < height; y++) {
    for (let x = 0; x < width; x++, i++) {
      if (coverage !== null && !(coverage[i] > 0)) continue;
      here[0] = x + 0.5;
      here[1] = y + 0.5;
      if (!find(here[0], here[1], i, point)) continue;
      if (surface.kind === 'position' && !see(now, point, here)) continue;
      if (!seeThen(i, 1, next, there) || !seeThen(i, -1, previous, back)) continue;
      if (surface.kind === 'position' && i % 7 === 0) off.push(Math.hypot(here[0] - x - 0.5, here[1] - y - 0.5));
      toNext[i * 2] = there[0] - here[0];
      toNext[i * 2 + 1] = there[1] - here[1];
      toPrevious[i * 2] = back[0] - here[0];
      toPrevious[i * 2 + 1] = back[1] - here[1];
      valid[i] = 1;
    }
  }
  off.sort((a, b) => a - b);
  return { field, offByPx: off.length === 0 ? null : off[off.length >> 1] };
}

/** `project` without an array for each of a million pixels. */
function see({ toScreen: m }: Camera, p: Float64Array, out: Float64Array): boolean {
  const w = m[8] * p[0] + m[9] * p[1] + m[10] * p[2] + m[11];
  if (!(w > 1e-9)) return false;
  out[0] = (m[0] * p[0] + m[1] * p[1] + m[2] * p[2] + m[3]) / w;
  out[1] = (m[4] * p[0] + m[5] * p[1] + m[6] * p[2] + m[7]) / w;
  return true;
}

function checkSizes({ surface, velocity, coverage }: DeriveInput, count: number): void {
  const planes = [
    ...(surface.kind === 'depth' ? [surface.depth] : surface.kind === 'position' ? [surface.x, surface.y, surface.z] : []),
    ...(velocity === null ? [] : [velocity.x, velocity.y, velocity.z]),
    ...(coverage === null ? [] : [coverage]),
  ];
  if (planes.some((p) => p.length !== count)) throw new IvrexError('sizeMismatch', 'a plane does not have the size of the picture');
}

/** Writes the scene's point that a place on screen shows; false where there is none. */
type PointFinder = (x: number, y: number, pixel: number, out: Float64Array) => boolean;

function pointFinder({ surface, now }: DeriveInput): PointFinder {
  const { from, along } = sightLines(now);
  const a = new Float64Array(3),
    d = new Float64Array(3);
  const reach = (out: Float64Array, s: number) => {
    for (let k = 0; k < 3; k++) out[k] = a[k] + s * d[k];
    return true;
  };
  switch (surface.kind) {
    case 'position': {
      const { x: px, y: py, z: pz } = surface;
      return (_, __, i, out) => {
        out[0] = px[i];
        out[1] = py[i];
        out[2] = pz[i];
        return Math.abs(px[i]) < NOTHING && Math.abs(py[i]) < NOTHING && Math.abs(pz[i]) < NOTHING;
      };
    }
    case 'card': {
      if (!(surface.distance > 0)) throw new IvrexError('badSetting', 'the card must stand before the camera: give a distance above 0');
      const { alongView: n } = surface.facing;
      return (x, y, _, out) => {
        from(x, y, a);
        along(x, y, d);
        const towards = n[0] * d[0] + n[1] * d[1] + n[2] * d[2],
          s = (surface.distance - n[3] - n[0] * a[0] - n[1] * a[1] - n[2] * a[2]) / towards;
        return s > 0 && s < SKY && reach(out, s);
      };
    }
    case 'depth': {
      const { depth, measured } = surface,
        isFromEye = measured === 'fromEye' && now.eye !== null;
      return (x, y, i, out) => {
        if (!(depth[i] > 0)) return false;
        const z = depth[i] < NOTHING ? depth[i] : SKY;
        from(x, y, a);
        along(x, y, d);
        return reach(out, isFromEye ? z / Math.hypot(d[0], d[1], d[2]) : z);
      };
    }
    default:
      return assertNever(surface);
  }
}

type Line = (x: number, y: number, out: Float64Array) => void;

/** Lines of sight: where they start, and their direction for a distance of 1 along the view axis. Both are affine in x and y. */
function sightLines({ toScreen: m, alongView: v, eye }: Camera): { from: Line; along: Line } {
  // Columns of the inverse: what the right sides 1 0 0, 0 1 0 and 0 0 1 mean in the scene.
  const third = eye === null ? v : m.subarray(8, 12);
  const rows = Float64Array.from([...m.subarray(0, 8), ...third]);
  const columns = [
    [1, 0, 0],
    [0, 1, 0],
    [0, 0, 1],
  ].map((unit) => solve3(rows, unit));
  const [p, q, r] = columns;
  if (p === null || q === null || r === null)
    throw new IvrexError('badSetting', 'lines of sight of this camera do not spread over the scene');
  const combined = (a: number, b: number, c: number, out: Float64Array) => {
    for (let k = 0; k < 3; k++) out[k] = a * p[k] + b * q[k] + c * r[k];
  };
  if (eye !== null)
    return {
      from: (_, __, out) => {
        out[0] = eye[0];
        out[1] = eye[1];
        out[2] = eye[2];
      },
      along: (x, y, out) => combined(x, y, 1, out),
    };
  return {
    from: (x, y, out) => combined(x * m[11] - m[3], y * m[11] - m[7], -v[3], out),
    along: (_, __, out) => combined(0, 0, 1, out),
  };
}

/** Writes where a point that moves by itself is one frame on (or back), and tells which camera looks at it; null where nobody knows. */
function walker(
  { x, y, z, valid, space }: SceneVelocity,
  now: Camera,
): (point: Float64Array, pixel: number, way: 1 | -1, then: Camera, out: Float64Array) => Camera | null {
  const [right, up, away] = directionsOf(now);
  return (p, i, way, then, out) => {
    if (valid[i] === 0) return null;
    if (space === 'world') {
      out[0] = p[0] + way * x[i];
      out[1] = p[1] + way * y[i];
      out[2] = p[2] + way * z[i];
      return then;
    }
    // Seen from the camera: its own motion is part of it, and the view stays where it is.
    for (let k = 0; k < 3; k++) out[k] = p[k] + way * (x[i] * right[k] + y[i] * up[k] + z[i] * away[k]);
    return now;
  };
}
