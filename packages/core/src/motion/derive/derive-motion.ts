import { assertNever, IvrexError } from '../../errors';
import { directionsOf, project, solve3, type Camera, type Vector3 } from '../../camera/camera';
import { emptyMotionField, type MotionField } from '../motion-field';
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
  const pointAt = pointFinder(input);
  const away = velocity === null ? null : walker(velocity, now);
  const off: number[] = [];
  for (let y = 0, i = 0; y < height; y++) {
    for (let x = 0; x < width; x++, i++) {
      if (coverage !== null && !(coverage[i] > 0)) continue;
      const point = pointAt(x + 0.5, y + 0.5, i);
      if (point === null) continue;
      const here = surface.kind === 'position' ? project(now, point) : ([x + 0.5, y + 0.5] as const);
      const there = away === null ? project(next, point) : away(point, i, 1, next);
      const back = away === null ? project(previous, point) : away(point, i, -1, previous);
      if (here === null || there === null || back === null) continue;
      if (surface.kind === 'position' && i % 7 === 0) off.push(Math.hypot(here[0] - x - 0.5, here[1] - y - 0.5));
      field.toNext[i * 2] = there[0] - here[0];
      field.toNext[i * 2 + 1] = there[1] - here[1];
      field.toPrevious[i * 2] = back[0] - here[0];
      field.toPrevious[i * 2 + 1] = back[1] - here[1];
      field.valid[i] = 1;
    }
  }
  off.sort((a, b) => a - b);
  return { field, offByPx: off.length === 0 ? null : off[off.length >> 1] };
}

function checkSizes({ surface, velocity, coverage }: DeriveInput, count: number): void {
  const planes = [
    ...(surface.kind === 'depth' ? [surface.depth] : surface.kind === 'position' ? [surface.x, surface.y, surface.z] : []),
    ...(velocity === null ? [] : [velocity.x, velocity.y, velocity.z]),
    ...(coverage === null ? [] : [coverage]),
  ];
  if (planes.some((p) => p.length !== count)) throw new IvrexError('sizeMismatch', 'a plane does not have the size of the picture');
}

type PointFinder = (x: number, y: number, pixel: number) => Vector3 | null;

/** The scene's point that a place on screen shows; null where there is none. */
function pointFinder({ surface, now }: DeriveInput): PointFinder {
  switch (surface.kind) {
    case 'position':
      return (_, __, i) => {
        const point: Vector3 = [surface.x[i], surface.y[i], surface.z[i]];
        return point.every((v) => Math.abs(v) < NOTHING) ? point : null;
      };
    case 'card': {
      if (!(surface.distance > 0)) throw new IvrexError('badSetting', 'the card must stand before the camera: give a distance above 0');
      const across = crossing(now, surface.facing.alongView);
      return (x, y) => across(x, y, surface.distance);
    }
    case 'depth': {
      const across = crossing(now, now.alongView);
      const { eye } = now,
        { depth, measured } = surface;
      return (x, y, i) => {
        if (!(depth[i] > 0)) return null;
        const z = depth[i] < NOTHING ? depth[i] : SKY;
        if (measured === 'alongView' || eye === null) return across(x, y, z);
        const point = across(x, y, 1);
        if (point === null) return null;
        const ray: Vector3 = [point[0] - eye[0], point[1] - eye[1], point[2] - eye[2]];
        const far = z / Math.hypot(...ray);
        return [eye[0] + ray[0] * far, eye[1] + ray[1] * far, eye[2] + ray[2] * far];
      };
    }
    default:
      return assertNever(surface);
  }
}

/** Where the line of sight of a place on screen crosses the plane of points with `plane`'s value `at`. */
function crossing({ toScreen: m }: Camera, plane: Float64Array): (x: number, y: number, at: number) => Vector3 | null {
  const rows = new Float64Array(12),
    right = new Float64Array(3);
  rows.set(plane, 8);
  return (x, y, at) => {
    for (let k = 0; k < 4; k++) {
      rows[k] = m[k] - x * m[8 + k];
      rows[4 + k] = m[4 + k] - y * m[8 + k];
    }
    right[0] = -rows[3];
    right[1] = -rows[7];
    right[2] = at - plane[3];
    return solve3(rows, right);
  };
}

/** Where a point that moves by itself is seen one frame on (or back). */
function walker(
  { x, y, z, valid, space }: SceneVelocity,
  now: Camera,
): (point: Vector3, pixel: number, way: 1 | -1, then: Camera) => readonly [number, number] | null {
  const [right, up, away] = directionsOf(now);
  return (p, i, way, then) => {
    if (valid[i] === 0) return null;
    if (space === 'world') return project(then, [p[0] + way * x[i], p[1] + way * y[i], p[2] + way * z[i]]);
    // Seen from the camera: it is part of the motion, and the view stays where it is.
    const at = (k: 0 | 1 | 2) => p[k] + way * (x[i] * right[k] + y[i] * up[k] + z[i] * away[k]);
    return project(now, [at(0), at(1), at(2)]);
  };
}

/** Some renderers count depth backwards. True when most values are below 0. */
export function isNegativeDepth(depth: Float32Array): boolean {
  let below = 0,
    above = 0;
  for (const v of depth) {
    if (v < 0) below++;
    else if (v > 0 && v < NOTHING) above++;
  }
  return below > above;
}
