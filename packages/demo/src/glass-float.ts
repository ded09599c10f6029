import { encodeExr, windowOfSize, type Attribute, type Plane } from '@ivrex/core';
import { writeFileAtomic, type NodeHost } from '@ivrex/media';
import { sampleTexture } from './card';
import { FLOAT, GLASS, GROUND, makeScene, FOCAL_PX, type Scene } from './glass-float-scene';
import { step } from './noise';
import type { DemoSize, FrameSize } from './render-cards';

/**
 * TC_040: a glass fishing float hangs in its net between the mooring posts, the camera trucks past. Everything stands still; all motion is
 * parallax. Lengths in metres, x right, y up, z towards the viewer of the first frame; time in frames from the shot's first.
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
}
const hit: Hit = { r: 0, g: 0, b: 0, x: 0, y: 0, z: 0, isFloat: false };

function lookAlong(scene: Scene, from: Eye, dx: number, dy: number, dz: number, withFloat: boolean): void {
  let near = Infinity;
  hit.r = hit.g = hit.b = 0.4;
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
  }
  if (near === Infinity) near = 1e12;
  hit.x = from.x + dx * near;
  hit.y = from.y + dy * near;
  hit.z = from.z + dz * near;
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

export interface GlassFloatPasses {
  readonly rgba: Float32Array;
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
  const look = (x: number, y: number) => {
    const across = (x - width / 2) / f,
      up = (height / 2 - y) / f;
    // right * across + up + forward; forward is (sin pan, 0, -cos pan).
    lookAlong(scene, eye, c * across + s, up, s * across - c, withFloat);
  };
  for (let y = 0, i = 0; y < height; y++) {
    for (let x = 0; x < width; x++, i++) {
      for (let n = 0; n < samples; n++) {
        look(x + ((0.5 + n * 0.7548776662466927) % 1), y + ((0.5 + n * 0.5698402909980532) % 1));
        out.rgba[i * 4] += hit.r / samples;
        out.rgba[i * 4 + 1] += hit.g / samples;
        out.rgba[i * 4 + 2] += hit.b / samples;
        if (hit.isFloat) out.float[i] += 1 / samples;
      }
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

const SAMPLES = 8;

/** Writes beauty and depth in one file, with the camera in its header: all of it with the float's matte, or what is behind the float. */
export async function makeGlassFloatFile(
  kind: 'float' | 'mill',
  frame: number,
  t: number,
  size: DemoSize,
  file: string,
  host: NodeHost,
): Promise<void> {
  const { rgba, depth, float } = renderGlassFloat(t, size, SAMPLES, kind === 'float', size.scale);
  const channel = (c: number) => Float32Array.from({ length: depth.length }, (_, i) => rgba[i * 4 + c]);
  const planes: Plane[] = [
    ...['R', 'G', 'B'].map((name, c): Plane => ({ name, type: 'half', data: channel(c) })),
    { name: 'depth.Z', type: 'float', data: depth },
    ...(kind === 'float' ? [{ name: 'float.A', type: 'half' as const, data: float }] : []),
  ];
  const matrices = cameraMatrices(t, size);
  const attributes = new Map<string, Attribute>([
    ['framesPerSecond', { type: 'rational', value: [24, 1] }],
    ['owner', { type: 'string', value: 'The Tidal Clock' }],
    [
      'comments',
      { type: 'string', value: `TC_040 ${kind === 'float' ? 'glass float' : 'without the float'}, camera truck, frame ${frame}` },
    ],
    ['worldToCamera', { type: 'm44f', value: matrices.worldToCamera }],
    ['worldToNDC', { type: 'm44f', value: matrices.worldToNDC }],
    ['renderTimeSeconds', { type: 'float', value: kind === 'float' ? 96 : 71 }],
  ]);
  const window = windowOfSize(size.width, size.height);
  await writeFileAtomic(file, encodeExr({ displayWindow: window, dataWindow: window, planes }, { compression: 'zip', attributes }, host));
}
