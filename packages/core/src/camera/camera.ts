import { IvrexError } from '../errors';

/** A point or direction of the scene, in the scene's units. */
export type Vector3 = readonly [x: number, y: number, z: number];

/**
 * A camera at one moment: where points of the scene are seen. Pixels of the display window, x right, y down. Rows are multiplied with
 * column points (X, Y, Z, 1).
 */
export interface Camera {
  /** Three rows of four: x, y and the divisor of both. */
  readonly toScreen: Float64Array;
  /** One row of four: distance along the view axis, in scene units. */
  readonly alongView: Float64Array;
  /** Where the camera stands; null when it sees in parallel lines. */
  readonly eye: Vector3 | null;
}

/** How a camera is described in tracks: where it stands, how it is turned, what its lens sees. */
export interface CameraPose {
  readonly position: Vector3;
  /** Unit quaternion x, y, z, w: camera to scene. The camera looks along its own -z, y is up, x is right. */
  readonly rotation: readonly [x: number, y: number, z: number, w: number];
  /** Half the picture's width at distance 1, in scene units: tan(horizontal angle of view / 2). */
  readonly halfWidth: number;
  /** Half the picture's height at distance 1; null: as the picture's shape and pixel aspect say. */
  readonly halfHeight: number | null;
  /** Where the view axis meets the picture, from its middle, in picture widths and heights, x right, y down. */
  readonly shift: readonly [x: number, y: number];
}

export interface PictureSize {
  readonly width: number;
  readonly height: number;
  readonly pixelAspect: number;
}

/** @throws IvrexError badSetting when nothing can be seen with it */
export function cameraFromPose(pose: CameraPose, { width, height, pixelAspect }: PictureSize): Camera {
  const halfHeight = pose.halfHeight ?? (pose.halfWidth * height) / (width * pixelAspect);
  if (!(pose.halfWidth > 0) || !(halfHeight > 0)) throw new IvrexError('badSetting', 'the camera has an angle of view of 0 or less');
  const [right, up, back] = axesOf(pose.rotation);
  const rows = [right, up, [-back[0], -back[1], -back[2]] as const].map((axis) => [...axis, -dot(axis, pose.position)]);
  const [x, y, z] = rows;
  const cx = width * (0.5 + pose.shift[0]),
    cy = height * (0.5 + pose.shift[1]);
  const row = (k: number) => [(width / 2 / pose.halfWidth) * x[k] + cx * z[k], (-height / 2 / halfHeight) * y[k] + cy * z[k], z[k]];
  const toScreen = new Float64Array(12);
  for (let k = 0; k < 4; k++) row(k).forEach((v, r) => (toScreen[r * 4 + k] = v));
  return finished(toScreen, null);
}

/**
 * From header matrices (OpenEXR, "Standard Attributes": a row point times the matrix; worldToNDC runs from 0, 0 at the upper left of the
 * display window to 1, 1 at its lower right). Some renderers write -1 to 1, or y up: where the view axis and the up direction of
 * worldToCamera come to lie tells, so nobody is asked. @throws IvrexError badSetting
 */
export function cameraFromMatrices(
  worldToNdc: readonly number[],
  worldToCamera: readonly number[] | null,
  { width, height }: Pick<PictureSize, 'width' | 'height'>,
): Camera {
  if (worldToNdc.length !== 16 || !worldToNdc.every(Number.isFinite))
    throw new IvrexError('badSetting', 'the camera matrix worldToNDC does not hold 16 finite numbers');
  const ndc = [0, 1, 3].map((c) => [0, 1, 2, 3].map((r) => worldToNdc[r * 4 + c]));
  const { centred, up } = worldToCamera === null ? { centred: false, up: false } : formOf(ndc, worldToCamera);
  const toScreen = new Float64Array(12);
  for (let k = 0; k < 4; k++) {
    const w = ndc[2][k],
      x = centred ? (ndc[0][k] + w) / 2 : ndc[0][k],
      y = centred ? (ndc[1][k] + w) / 2 : ndc[1][k];
    toScreen[k] = width * x;
    toScreen[4 + k] = height * (up ? w - y : y);
    toScreen[8 + k] = w;
  }
  return finished(toScreen, worldToCamera);
}

/** Whether x and y run from -1 to 1, and whether y points up. */
function formOf(ndc: readonly (readonly number[])[], worldToCamera: readonly number[]): { centred: boolean; up: boolean } {
  const inverse = inverse4(worldToCamera);
  if (inverse === null) throw new IvrexError('badSetting', 'the camera matrix worldToCamera can not be inverted');
  const see = (x: number, y: number, z: number): readonly [number, number, number] => {
    const p = [0, 1, 2, 3].map((c) => x * inverse[c] + y * inverse[4 + c] + z * inverse[8 + c] + inverse[12 + c]);
    const [nx, ny, nw] = ndc.map((row) => row.reduce((sum, v, k) => sum + v * p[k], 0));
    return [nx / nw, ny / nw, nw];
  };
  // The scene lies where the divisor is positive; in a parallel view it is the same on both sides.
  const ahead = see(0, 0, 1)[2] > 0 ? 1 : -1;
  const axis = see(0, 0, ahead),
    raised = see(0, 0.01, ahead);
  const from = (x: number) => Math.hypot(axis[0] - x, axis[1] - x);
  return { centred: from(0) < from(0.5), up: raised[1] > axis[1] };
}

/** The row of distances, the eye, and the divisor's scale, which is free, brought to distances. */
function finished(toScreen: Float64Array, worldToCamera: readonly number[] | null): Camera {
  const length = Math.hypot(toScreen[8], toScreen[9], toScreen[10]);
  const isParallel = length < 1e-9 * Math.max(1, Math.abs(toScreen[11]));
  if (!toScreen.every(Number.isFinite) || (isParallel && worldToCamera === null))
    throw new IvrexError('badSetting', 'the camera sees no depth with this matrix; worldToCamera is needed beside it');
  if (isParallel) {
    const alongView = Float64Array.from([0, 1, 2, 3], (r) => (worldToCamera as number[])[r * 4 + 2]);
    return { toScreen, alongView, eye: null };
  }
  const scaled = toScreen.map((v) => v / length);
  const alongView = scaled.slice(8, 12);
  const eye = solve3(scaled, [-scaled[3], -scaled[7], -scaled[11]]);
  if (eye === null) throw new IvrexError('badSetting', 'the camera matrix lets all points fall together; it can not be used');
  return { toScreen: scaled, alongView, eye };
}

/** Where a point is seen; null when it is not in front of the camera. */
export function project({ toScreen: m }: Camera, [x, y, z]: Vector3): readonly [x: number, y: number] | null {
  const w = m[8] * x + m[9] * y + m[10] * z + m[11];
  if (!(w > 1e-9)) return null;
  return [(m[0] * x + m[1] * y + m[2] * z + m[3]) / w, (m[4] * x + m[5] * y + m[6] * z + m[7]) / w];
}

/** The camera's own directions in the scene: right, up, and into the picture. Unit vectors. */
export function directionsOf({ toScreen, alongView }: Camera): readonly [right: Vector3, up: Vector3, away: Vector3] {
  const away = unit([alongView[0], alongView[1], alongView[2]]);
  const across = (row: number): Vector3 => {
    const v: Vector3 = [toScreen[row], toScreen[row + 1], toScreen[row + 2]],
      along = dot(v, away);
    return unit([v[0] - along * away[0], v[1] - along * away[1], v[2] - along * away[2]]);
  };
  const down = across(4);
  return [across(0), [-down[0], -down[1], -down[2]], away];
}

/** Solves three equations whose left sides are the first three of each four numbers of `rows`. Null when they say too little. */
export function solve3(rows: ArrayLike<number>, right: ArrayLike<number>): Vector3 | null {
  const [a, b, c, , d, e, f, , g, h, i] = Array.from({ length: 11 }, (_, k) => rows[k]);
  const det = a * (e * i - f * h) - b * (d * i - f * g) + c * (d * h - e * g);
  if (!(Math.abs(det) > 1e-30)) return null;
  const [p, q, r] = [right[0], right[1], right[2]];
  return [
    (p * (e * i - f * h) - b * (q * i - f * r) + c * (q * h - e * r)) / det,
    (a * (q * i - f * r) - p * (d * i - f * g) + c * (d * r - q * g)) / det,
    (a * (e * r - q * h) - b * (d * r - q * g) + p * (d * h - e * g)) / det,
  ];
}

/** Of four rows of four; null when there is none. */
function inverse4(m: readonly number[]): Float64Array | null {
  if (m.length !== 16 || !m.every(Number.isFinite)) return null;
  const a = Float64Array.from(m),
    b = new Float64Array(16);
  for (let k = 0; k < 4; k++) b[k * 5] = 1;
  for (let c = 0; c < 4; c++) {
    let pivot = c;
    for (let r = c + 1; r < 4; r++) if (Math.abs(a[r * 4 + c]) > Math.abs(a[pivot * 4 + c])) pivot = r;
    const p = a[pivot * 4 + c];
    if (!(Math.abs(p) > 1e-12)) return null;
    for (let k = 0; k < 4; k++) {
      [a[c * 4 + k], a[pivot * 4 + k]] = [a[pivot * 4 + k] / p, pivot === c ? a[c * 4 + k] / p : a[c * 4 + k]];
      [b[c * 4 + k], b[pivot * 4 + k]] = [b[pivot * 4 + k] / p, pivot === c ? b[c * 4 + k] / p : b[c * 4 + k]];
    }
    for (let r = 0; r < 4; r++) {
      const f = a[r * 4 + c];
      if (r === c || f === 0) continue;
      for (let k = 0; k < 4; k++) {
        a[r * 4 + k] -= f * a[c * 4 + k];
        b[r * 4 + k] -= f * b[c * 4 + k];
      }
    }
  }
  return b;
}

/** The camera's x, y and z axes in the scene. */
function axesOf([x, y, z, w]: CameraPose['rotation']): readonly [Vector3, Vector3, Vector3] {
  const n = Math.hypot(x, y, z, w);
  if (!(n > 1e-9)) throw new IvrexError('badSetting', 'the camera is turned by a quaternion of length 0');
  const [i, j, k, r] = [x / n, y / n, z / n, w / n];
  return [
    [1 - 2 * (j * j + k * k), 2 * (i * j + k * r), 2 * (i * k - j * r)],
    [2 * (i * j - k * r), 1 - 2 * (i * i + k * k), 2 * (j * k + i * r)],
    [2 * (i * k + j * r), 2 * (j * k - i * r), 1 - 2 * (i * i + j * j)],
  ];
}

function dot(a: Vector3, b: Vector3): number {
  return a[0] * b[0] + a[1] * b[1] + a[2] * b[2];
}

function unit(v: Vector3): Vector3 {
  const n = Math.hypot(...v);
  return [v[0] / n, v[1] / n, v[2] / n];
}
