import { encodeExr, windowOfSize, type Attribute, type Plane } from '@ivrex/core';
import { writeFileAtomic, type NodeHost } from '@ivrex/media';
import { sampleTexture } from './card';
import { FLOAT, GLASS, GROUND, LANTERNS, lanternLight, makeScene, FOCAL_PX, type Scene } from './glass-float-scene';
import { step } from './noise';
import type { DemoSize, FrameSize } from './render-cards';

/**
 * TC_040: a glass fishing float hangs in its net between the mooring posts, the camera trucks past. Everything that is seen stands still: its motion
 * is parallax. The mill's lantern chains run behind the camera and are mirrored in the float, which moves otherwise than its surface. Lengths in
 * metres, x right, y up, z towards the viewer of the first frame; time in frames from the shot's first.
 */
export const GLASS_FLOAT = { frames: 16, focalPx: FOCAL_PX } as const;

interface Eye {
  readonly x: number;
  readonly y: number;
  readonly z: number;
  /** Radians to the right. */
  readonly pan: number;
}

/** The truck eases in, dips a little, pans against its way and pushes in: no two frames move alike. */
export function eyeAt(t: number): Eye {
  return {
    x: -0.85 + 0.095 * t + 0.05 * Math.sin(t * 0.5),
    y: 1.35 + 0.02 * Math.sin(t * 0.7 + 0.4),
    z: 0.12 * Math.sin(t * 0.21) - 0.006 * t,
    pan: 0.05 - 0.006 * t + 0.004 * Math.sin(t * 0.6),
  };
}

/** Painted once a process. */
let painted: Scene | null = null;
const texel = new Float64Array(4);

/** What a line of sight meets: colour, and the point. */
interface Hit {
  r: number;
  g: number;
  b: number;
  x: number;
  y: number;
  z: number;
  isFloat: boolean;
  /** How much of the lanterns' light the surface mirrors, and where on their chain the mirrored line of sight ends. */
  mirrors: number;
  along: number;
  height: number;
}
const hit: Hit = { r: 0, g: 0, b: 0, x: 0, y: 0, z: 0, isFloat: false, mirrors: 0, along: 0, height: 0 };

function lookAlong(scene: Scene, from: Eye, dx: number, dy: number, dz: number, withFloat: boolean): void {
  let near = Infinity;
  hit.r = hit.g = hit.b = 0.4;
  hit.mirrors = 0;
  const keep = (distance: number, light: number) => {
    near = distance;
    hit.r = texel[0] * light;
    hit.g = texel[1] * light;
    hit.b = texel[2] * light;
  };
  hit.isFloat = false;
  const sphere = withFloat ? sphereAt(from, dx, dy, dz) : null;
  if (sphere !== null) {
    const nx = (from.x + dx * sphere - FLOAT.x) / FLOAT.radius,
      ny = (from.y + dy * sphere - FLOAT.y) / FLOAT.radius,
      nz = (from.z + dz * sphere - FLOAT.z) / FLOAT.radius;
    const u = (Math.atan2(nx, nz) / (2 * Math.PI) + 0.5) * (GLASS.around - 2) + 1,
      v = (Math.acos(Math.max(-1, Math.min(1, ny))) / Math.PI) * (GLASS.down - 2) + 1;
    sampleTexture(scene.glass, u, v, texel);
    hit.isFloat = true;
    mirror(from, dx, dy, dz, sphere, nx, ny, nz);
    keep(sphere, 0.55 + 0.75 * Math.max(0, 0.5 * ny - 0.3 * nx + 0.8 * nz));
  }
  for (const board of scene.boards) {
    const distance = (board.z - from.z) / dz;
    if (!(distance > 0) || distance >= near) continue;
    const u = (from.x + dx * distance - board.left) * board.perMetre,
      v = (board.top - from.y - dy * distance) * board.perMetre;
    sampleTexture(board.texture, u, v, texel);
    // Thresholded cover: every point of the picture shows one surface.
    if (texel[3] < 0.5) continue;
    for (let k = 0; k < 3; k++) texel[k] /= texel[3];
    keep(distance, 1);
    hit.isFloat = false;
    hit.mirrors = 0;
  }
  const down = dy < 0 ? -from.y / dy : Infinity;
  if (down < near && down < 60) {
    const wrapped = (m: number) => {
      const u = (m * GROUND.perMetre) % (GROUND.side - 2);
      return (u < 0 ? u + GROUND.side - 2 : u) + 1;
    };
    sampleTexture(scene.ground, wrapped(from.x + dx * down), wrapped(from.z + dz * down), texel);
    const haze = step(7, 26, down);
    texel[0] += (0.17 - texel[0]) * haze;
    texel[1] += (0.18 - texel[1]) * haze;
    texel[2] += (0.16 - texel[2]) * haze;
    keep(down, 1);
    hit.isFloat = false;
    hit.mirrors = 0;
  }
  if (near === Infinity) near = 1e12;
  hit.x = from.x + dx * near;
  hit.y = from.y + dy * near;
  hit.z = from.z + dz * near;
}

/** Follows the mirrored line of sight to the plane of the lanterns. */
function mirror(from: Eye, dx: number, dy: number, dz: number, distance: number, nx: number, ny: number, nz: number): void {
  const length = Math.hypot(dx, dy, dz),
    facing = -(dx * nx + dy * ny + dz * nz) / length;
  const rx = dx / length + 2 * facing * nx,
    ry = dy / length + 2 * facing * ny,
    rz = dz / length + 2 * facing * nz;
  if (rz < 0.05) return;
  const far = (LANTERNS.z - from.z - dz * distance) / rz;
  hit.along = from.x + dx * distance + rx * far;
  hit.height = from.y + dy * distance + ry * far;
  // Schlick, "An Inexpensive BRDF Model for Physically-based Rendering" (1994), for wet glass.
  hit.mirrors = 0.1 + 0.9 * (1 - facing) ** 5;
}

function sphereAt(from: Eye, dx: number, dy: number, dz: number): number | null {
  const ox = from.x - FLOAT.x,
    oy = from.y - FLOAT.y,
    oz = from.z - FLOAT.z;
  const a = dx * dx + dy * dy + dz * dz,
    b = ox * dx + oy * dy + oz * dz,
    c = ox * ox + oy * oy + oz * oz - FLOAT.radius * FLOAT.radius;
  const inside = b * b - a * c;
  return inside <= 0 ? null : (-b - Math.sqrt(inside)) / a;
}

/** Frames that were also rendered with blur, and their shutter. */
export const FLOAT_REFERENCES = [1006, 1011] as const;
const REFERENCE = { opens: -0.25, closes: 0.25, moments: 64, samples: 2 } as const;

const SAMPLES = 8;

export interface GlassFloatPasses {
  /** What is mirrored is in it. */
  readonly rgba: Float32Array;
  /** The mirrored lanterns alone, RGB. */
  readonly reflection: Float32Array;
  /** Along the view axis, metres. */
  readonly depth: Float32Array;
  /** Where the pixel's middle lies in the scene, x, y, z interleaved. */
  readonly position: Float32Array;
  /** toNext.x, toNext.y, toPrevious.x, toPrevious.y: the truth, which the shot has no pass of. */
  readonly motion: Float32Array;
  /** The share of the pixel that the float covers. */
  readonly float: Float32Array;
}

/**
 * One frame, `samples` a pixel; with none there is no picture. Depth, position and motion are those of the pixel's middle. Without the float what is
 * behind it is seen. The scene is painted once a process, `textureScale` times as fine as a picture 960 wide shows it.
 */
export function renderGlassFloat(t: number, size: FrameSize, samples: number, withFloat = true, textureScale = 1): GlassFloatPasses {
  const { width, height } = size,
    count = width * height;
  const scene = (painted ??= makeScene(textureScale));
  const out: GlassFloatPasses = {
    rgba: new Float32Array(count * 4),
    reflection: new Float32Array(count * 3),
    depth: new Float32Array(count),
    position: new Float32Array(count * 3),
    motion: new Float32Array(count * 4),
    float: new Float32Array(count),
  };
  const eye = eyeAt(t),
    next = eyeAt(t + 1),
    previous = eyeAt(t - 1);
  const c = Math.cos(eye.pan),
    s = Math.sin(eye.pan),
    f = (GLASS_FLOAT.focalPx * width) / 960;
  const look = (x: number, y: number) => lookThrough(scene, eye, x, y, size, withFloat);
  for (let y = 0, i = 0; y < height; y++) {
    for (let x = 0; x < width; x++, i++) {
      for (let n = 0; n < samples; n++) {
        look(x + samplePlace(n, 0.7548776662466927), y + samplePlace(n, 0.5698402909980532));
        if (hit.mirrors > 0) lanternLight(hit.along, hit.height, t, hit.mirrors / samples, out.reflection, i * 3);
        out.rgba[i * 4] += hit.r / samples;
        out.rgba[i * 4 + 1] += hit.g / samples;
        out.rgba[i * 4 + 2] += hit.b / samples;
        if (hit.isFloat) out.float[i] += 1 / samples;
      }
      for (let k = 0; k < 3; k++) out.rgba[i * 4 + k] += out.reflection[i * 3 + k];
      out.rgba[i * 4 + 3] = 1;
      look(x + 0.5, y + 0.5);
      out.position.set([hit.x, hit.y, hit.z], i * 3);
      out.depth[i] = s * (hit.x - eye.x) - c * (hit.z - eye.z);
      const [ax, ay] = seen(next, f, size),
        [bx, by] = seen(previous, f, size);
      out.motion.set([ax - x - 0.5, ay - y - 0.5, bx - x - 0.5, by - y - 0.5], i * 4);
    }
  }
  return out;
}

/** A place within a pixel: the additive recurrence of Roberts, "The unreasonable effectiveness of quasirandom sequences" (2018). */
function samplePlace(n: number, step: number): number {
  return (0.5 + n * step) % 1;
}

/** The picture of an exposure around a time: the mean of evenly spaced moments, each with samples of its own. RGBA, opaque. */
export function exposeGlassFloat(t: number, size: FrameSize, textureScale = 1): Float32Array {
  const { width, height } = size,
    { opens, closes, moments, samples } = REFERENCE,
    scene = (painted ??= makeScene(textureScale));
  const out = new Float32Array(width * height * 4),
    each = 1 / (moments * samples);
  for (let m = 0, n = 0; m < moments; m++) {
    const at = t + opens + ((m + 0.5) / moments) * (closes - opens),
      eye = eyeAt(at);
    for (let s = 0; s < samples; s++, n++)
      for (let i = 0; i < width * height; i++) {
        lookThrough(
          scene,
          eye,
          (i % width) + samplePlace(n, 0.7548776662466927),
          Math.floor(i / width) + samplePlace(n, 0.5698402909980532),
          size,
          true,
        );
        if (hit.mirrors > 0) lanternLight(hit.along, hit.height, at, hit.mirrors * each, out, i * 4);
        out[i * 4] += hit.r * each;
        out[i * 4 + 1] += hit.g * each;
        out[i * 4 + 2] += hit.b * each;
      }
  }
  for (let i = 3; i < out.length; i += 4) out[i] = 1;
  return out;
}

/** Meets the scene through a place of the picture. */
function lookThrough(scene: Scene, eye: Eye, x: number, y: number, { width, height }: FrameSize, withFloat: boolean): void {
  const f = (GLASS_FLOAT.focalPx * width) / 960,
    c = Math.cos(eye.pan),
    s = Math.sin(eye.pan);
  const across = (x - width / 2) / f,
    up = (height / 2 - y) / f;
  // right * across + up + forward; forward is (sin pan, 0, -cos pan).
  lookAlong(scene, eye, c * across + s, up, s * across - c, withFloat);
}

/**
 * How what is mirrored at each pixel's middle moves: toNext.x, toNext.y, toPrevious.x, toPrevious.y. Found by Newton's method; NaN where nothing is
 * mirrored, or not in that frame any more.
 */
export function reflectionMotion(t: number, size: FrameSize): Float32Array {
  const { width, height } = size,
    scene = (painted ??= makeScene());
  const out = new Float32Array(width * height * 4).fill(NaN);
  /** Where on the chain the picture shows at a place and a time; null where it mirrors nothing. */
  const shown = (at: number, x: number, y: number): readonly [number, number] | null => {
    lookThrough(scene, eyeAt(at), x, y, size, true);
    return hit.mirrors === 0 ? null : [hit.along - LANTERNS.perFrame * at, hit.height];
  };
  for (let i = 0; i < width * height; i++) {
    const x = (i % width) + 0.5,
      y = Math.floor(i / width) + 0.5;
    const wanted = shown(t, x, y);
    if (wanted === null) continue;
    for (const side of [0, 1]) {
      const at = t + (side === 0 ? 1 : -1);
      lookThrough(scene, eyeAt(t), x, y, size, true);
      let [px, py] = seen(eyeAt(at), (GLASS_FLOAT.focalPx * width) / 960, size);
      for (let n = 0; n < 30; n++) {
        const here = shown(at, px, py),
          right = shown(at, px + 0.01, py),
          below = shown(at, px, py + 0.01);
        if (here === null || right === null || below === null) break;
        const [a, b, c, d] = [right[0] - here[0], below[0] - here[0], right[1] - here[1], below[1] - here[1]].map((v) => v * 100);
        const ex = wanted[0] - here[0],
          ey = wanted[1] - here[1],
          det = a * d - b * c;
        if (Math.hypot(ex, ey) < 1e-7) {
          out.set([px - x, py - y], i * 4 + side * 2);
          break;
        }
        // Never far in one step: beyond the rim nothing is mirrored.
        const sx = (d * ex - b * ey) / det,
          sy = (a * ey - c * ex) / det,
          shorter = Math.min(1, (width * 0.01) / Math.hypot(sx, sy));
        px += sx * shorter;
        py += sy * shorter;
      }
    }
  }
  return out;
}

/** Where the point that was hit last is seen from another place. */
function seen({ x, y, z, pan }: Eye, f: number, { width, height }: FrameSize): readonly [number, number] {
  const c = Math.cos(pan),
    s = Math.sin(pan),
    dx = hit.x - x,
    dz = hit.z - z;
  const along = s * dx - c * dz;
  return [width / 2 + (f * (c * dx + s * dz)) / along, height / 2 - (f * (hit.y - y)) / along];
}

/** Header matrices as OpenEXR's standard attributes define them: a row point times the matrix. */
export function cameraMatrices(t: number, { width, height }: FrameSize): { worldToCamera: number[]; worldToNDC: number[] } {
  const { x, y, z, pan } = eyeAt(t),
    c = Math.cos(pan),
    s = Math.sin(pan),
    f = (GLASS_FLOAT.focalPx * width) / 960;
  const right = [c, 0, s, -(c * x + s * z)],
    up = [0, 1, 0, -y],
    away = [s, 0, -c, -(s * x - c * z)];
  const rows = (columns: readonly (readonly number[])[]) => [0, 1, 2, 3].flatMap((r) => columns.map((column) => column[r]));
  const nothing = [0, 0, 0, 1];
  return {
    worldToCamera: rows([right, up, away, nothing]),
    worldToNDC: rows([
      right.map((v, k) => (f / width) * v + 0.5 * away[k]),
      up.map((v, k) => (-f / height) * v + 0.5 * away[k]),
      away.map((v, k) => v - 0.1 * nothing[k]),
      away,
    ]),
  };
}

export type GlassFloatKind = 'float' | 'mill' | 'reference';

const WHAT: Record<GlassFloatKind, string> = {
  float: 'glass float',
  mill: 'without the float',
  reference: 'rendered with blur, 180 degrees',
};
const SECONDS: Record<GlassFloatKind, number> = { float: 96, mill: 71, reference: 412 };

/**
 * Writes one frame in one file, with the camera in its header: beauty, depth, the float's matte and its reflection; beauty and depth of what is behind
 * the float; or the beauty with blur.
 */
export async function makeGlassFloatFile(
  kind: GlassFloatKind,
  frame: number,
  t: number,
  size: DemoSize,
  file: string,
  host: NodeHost,
): Promise<void> {
  const matrices = cameraMatrices(t, size);
  const attributes = new Map<string, Attribute>([
    ['framesPerSecond', { type: 'rational', value: [24, 1] }],
    ['owner', { type: 'string', value: 'The Tidal Clock' }],
    ['comments', { type: 'string', value: `TC_040 ${WHAT[kind]}, camera truck, frame ${frame}` }],
    ['worldToCamera', { type: 'm44f', value: matrices.worldToCamera }],
    ['worldToNDC', { type: 'm44f', value: matrices.worldToNDC }],
    ['renderTimeSeconds', { type: 'float', value: SECONDS[kind] }],
  ]);
  const window = windowOfSize(size.width, size.height),
    planes = kind === 'reference' ? colours('', exposeGlassFloat(t, size, size.scale), 4) : planesOf(kind, t, size);
  await writeFileAtomic(file, encodeExr({ displayWindow: window, dataWindow: window, planes }, { compression: 'zip', attributes }, host));
}

function planesOf(kind: 'float' | 'mill', t: number, size: DemoSize): Plane[] {
  const { rgba, depth, float, reflection } = renderGlassFloat(t, size, SAMPLES, kind === 'float', size.scale);
  const planes: Plane[] = [...colours('', rgba, 4), { name: 'depth.Z', type: 'float', data: depth }];
  return kind === 'mill' ? planes : [...planes, { name: 'float.A', type: 'half', data: float }, ...colours('reflection.', reflection, 3)];
}

function colours(prefix: string, from: Float32Array, of: 3 | 4): Plane[] {
  return ['R', 'G', 'B'].map((name, c) => ({
    name: prefix + name,
    type: 'half',
    data: Float32Array.from({ length: from.length / of }, (_, i) => from[i * of + c]),
  }));
}
