import { encodeExr, windowOfSize, type Attribute, type Plane } from '@ivrex/core';
import { writeFileAtomic, type NodeHost } from '@ivrex/media';
import { paintTexture, sampleTexture, type Paint, type Texture } from './card';
import { fractalNoise, step, valueNoise } from './noise';
import type { FrameSize } from './render-cards';

/**
 * TC_040: a glass fishing float hangs in its net between the mooring posts, the camera trucks past. Everything stands still; all motion is
 * parallax. Lengths in metres, x right, y up, z towards the viewer of the first frame; time in frames from the shot's first.
 */
export const GLASS_FLOAT = { frames: 16, focalPx: 900 } as const;

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

/** An upright flat piece of scenery; its texture's u and v are `perMetre` a metre, v down from `top`. */
interface Board {
  readonly z: number;
  readonly left: number;
  readonly top: number;
  readonly perMetre: number;
  readonly texture: Texture;
}

interface Scene {
  readonly boards: readonly Board[];
  readonly ground: Texture;
  readonly glass: Texture;
}

const FLOAT = { x: 0.28, y: 1.33, z: -3.6, radius: 0.34 } as const;
/** The ground's texture: a piece of this many units a side that repeats, and units a metre. */
const GROUND = { side: 240, perMetre: 60, finer: 8 / 3 } as const,
  /** Units around and from pole to pole. */
  GLASS = { around: 240, down: 120, finer: 8 / 3 } as const;

/** Artwork is drawn in units of its own, `finer` times as many as its texture has: no finer than the picture shows it. */
function painted(width: number, height: number, finer: number, paint: (u: number, v: number) => Paint): Texture {
  return paintTexture(0, 0, width, height, (u, v) => paint(u * finer, v * finer));
}

function wood(u: number, v: number, seed: number): number {
  return 0.35 + 0.9 * valueNoise(u * 0.9, v * 0.05, seed) * (0.6 + 0.6 * fractalNoise(u * 0.2, v * 0.15, seed + 1, 3));
}

function paintPost(width: number, seed: number): (u: number, v: number) => Paint {
  return (u, v) => {
    const ragged = 3 + 5 * valueNoise(v * 0.06, seed, seed);
    const edge = Math.min(u - ragged * 0.4, width - ragged * 0.5 - u);
    const ring = v % 90 < 14 ? 0.5 : 1;
    const barnacles = valueNoise(u * 0.35, v * 0.35, seed + 3) > 0.62 && v > 120 ? 1.9 : 1;
    const round = 1.1 - 0.7 * ((u - width / 2) / (width / 2)) ** 2;
    const light = wood(u, v, seed) * ring * barnacles * round;
    return [0.34 * light, 0.27 * light, 0.2 * light, step(-0.4, 0.6, edge)];
  };
}

function paintRail(u: number, v: number): Paint {
  const light = wood(v * 2.2, u * 0.6, 150) * (Math.abs((u % 160) - 80) < 3 ? 0.25 : 1);
  const rope = Math.abs(v - 14 - 5 * Math.sin(u * 0.05)) < 4 ? 0.4 + 0.9 * Math.abs(Math.sin(u * 0.5 + v * 0.9)) : 0;
  const edge = Math.min(v - 2, 44 - v);
  if (rope > 0) return [0.55 * rope, 0.45 * rope, 0.28 * rope, 1];
  return [0.4 * light, 0.31 * light, 0.22 * light, step(-0.5, 0.5, edge)];
}

function paintRope(u: number, v: number): Paint {
  const twist = 0.35 + 0.8 * Math.abs(Math.sin(v * 0.45 + u * 0.3));
  return [0.5 * twist, 0.41 * twist, 0.26 * twist, step(-0.5, 0.5, Math.min(u - 1, 13 - u))];
}

/** Far reeds, the mill with its clock, sky above. */
function paintDistance(u: number, v: number): Paint {
  const horizon = 330 + 14 * valueNoise(u * 0.012, 0, 160);
  if (u > 480 && u < 690 && v > 190 && v < horizon + 4) {
    const roof = v < 245;
    const inside = roof ? Math.abs(u - 585) < (v - 190) * 1.9 : true;
    const r = Math.hypot(u - 585, v - 275);
    if (inside && r < 22)
      return r > 18 ? [0.5, 0.34, 0.1, 1] : Math.abs(u - 585) < 1.6 && v < 275 ? [0.05, 0.04, 0.04, 1] : [0.8, 0.74, 0.6, 1];
    if (inside) {
      const grain = (0.5 + 0.6 * valueNoise(u * 0.1, v * 0.8, 161)) * (Math.floor(v) % 9 < 1 ? 0.4 : 1);
      return roof ? [0.28 * grain, 0.13 * grain, 0.1 * grain, 1] : [0.34 * grain, 0.28 * grain, 0.22 * grain, 1];
    }
  }
  if (v > horizon - 26 * valueNoise(u * 0.13, 2, 162)) {
    const blade = 0.35 + 0.9 * valueNoise(u * 0.5, v * 0.08, 163) * fractalNoise(u * 0.03, v * 0.05, 164, 3);
    return [0.19 * blade, 0.22 * blade, 0.09 * blade, 1];
  }
  const cloud = fractalNoise(u * 0.014, v * 0.035, 165, 5),
    up = 1 - v / 330;
  const c = 0.65 * step(0.42, 0.74, cloud);
  return [0.34 + 0.2 * c - 0.1 * up, 0.38 + 0.17 * c - 0.06 * up, 0.42 + 0.14 * c, 1];
}

/** Mud, puddles and shells. Repeats. */
function paintGround(u: number, v: number): Paint {
  const side = GROUND.side * GROUND.finer,
    across = u / side,
    down = v / side;
  // Two noises a period apart, faded into each other, so that the borders meet.
  const tiled = (scale: number, seed: number, octaves: number) => {
    const at = (x: number, y: number) => fractalNoise(x * scale, y * scale, seed, octaves);
    const wrap = (y: number) => at(u, y) * (1 - across) + at(u - side, y) * across;
    return wrap(v) * (1 - down) + wrap(v - side) * down;
  };
  const mud = 0.25 + 1.1 * tiled(0.09, 170, 4),
    wet = step(0.5, 0.56, tiled(0.02, 171, 3));
  const grit = valueNoise(u * 0.8, v * 0.8, 172) > 0.78 ? 1.6 : 1;
  return [
    (0.24 * mud * (1 - wet) + 0.3 * wet * mud) * grit,
    (0.19 * mud * (1 - wet) + 0.34 * wet * mud) * grit,
    (0.13 * mud * (1 - wet) + 0.38 * wet * mud) * grit,
    1,
  ];
}

/** Green glass with bubbles in a net of tarred string. */
function paintGlass(u: number, v: number): Paint {
  const a = (u / GLASS.around / GLASS.finer) * 20,
    b = (v / GLASS.down / GLASS.finer) * 10;
  const mesh = Math.min(Math.abs(((a + b) % 1) - 0.5), Math.abs(((a - b + 20) % 1) - 0.5));
  const knot = Math.abs(((a + b) % 1) - 0.5) < 0.14 && Math.abs(((a - b + 20) % 1) - 0.5) < 0.14;
  if (mesh < 0.07 || knot) {
    const twist = 0.3 + 0.7 * Math.abs(Math.sin(u * 0.9 + v * 0.5));
    return [0.12 * twist, 0.09 * twist, 0.06 * twist, 1];
  }
  const bubble = valueNoise(u * 0.3, v * 0.3, 180) > 0.8 ? 1.7 : 1;
  const swirl = (0.5 + 0.9 * fractalNoise(u * 0.03, v * 0.05, 181, 4)) * bubble;
  return [0.1 * swirl, 0.42 * swirl, 0.3 * swirl, 1];
}

function makeScene(): Scene {
  const post = (x: number, z: number, width: number, seed: number): Board => {
    const finer = 2.5,
      perMetre = GLASS_FLOAT.focalPx / -z / finer;
    const paint = paintPost(width * perMetre * finer, seed);
    return { z, left: x, top: 2.1, perMetre, texture: painted(width * perMetre, 2.1 * perMetre, finer, paint) };
  };
  const boards: Board[] = [
    { z: -2.15, left: -2.6, top: 0.82, perMetre: 160, texture: painted(6 * 160, 18.4, 2.5, paintRail) },
    { z: -3.59, left: -0.5, top: 2.02, perMetre: 100, texture: painted(190, 18.4, 2.5, paintRail) },
    { z: -3.59, left: 0.262, top: 1.9, perMetre: 100, texture: painted(3.6, 24, 4, paintRope) },
    post(-0.9, -2.9, 0.17, 191),
    post(1.05, -3.6, 0.2, 192),
    post(-0.3, -4.4, 0.22, 193),
    post(1.9, -5.5, 0.26, 194),
    post(-2.1, -7, 0.3, 195),
    { z: -36, left: -26, top: 15, perMetre: 10, texture: painted(52 * 10, 17 * 10, 2.2, paintDistance) },
  ];
  return {
    boards,
    ground: painted(GROUND.side, GROUND.side, GROUND.finer, paintGround),
    glass: painted(GLASS.around, GLASS.down, GLASS.finer, paintGlass),
  };
}

let scene: Scene | null = null;
const texel = new Float64Array(4);

/** What a line of sight meets: colour, and the point. */
interface Hit {
  r: number;
  g: number;
  b: number;
  x: number;
  y: number;
  z: number;
}
const hit: Hit = { r: 0, g: 0, b: 0, x: 0, y: 0, z: 0 };

function lookAlong(from: Eye, dx: number, dy: number, dz: number): void {
  scene ??= makeScene();
  let near = Infinity;
  hit.r = hit.g = hit.b = 0.4;
  const keep = (distance: number, light: number) => {
    near = distance;
    hit.r = texel[0] * light;
    hit.g = texel[1] * light;
    hit.b = texel[2] * light;
  };
  const sphere = sphereAt(from, dx, dy, dz);
  if (sphere !== null) {
    const nx = (from.x + dx * sphere - FLOAT.x) / FLOAT.radius,
      ny = (from.y + dy * sphere - FLOAT.y) / FLOAT.radius,
      nz = (from.z + dz * sphere - FLOAT.z) / FLOAT.radius;
    const u = (Math.atan2(nx, nz) / (2 * Math.PI) + 0.5) * (GLASS.around - 2) + 1,
      v = (Math.acos(Math.max(-1, Math.min(1, ny))) / Math.PI) * (GLASS.down - 2) + 1;
    sampleTexture(scene.glass, u, v, texel);
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
}

/** One frame, `samples` a pixel. Depth, position and motion are those of the pixel's middle. */
export function renderGlassFloat(t: number, size: FrameSize, samples: number): GlassFloatPasses {
  const { width, height } = size,
    count = width * height;
  const out: GlassFloatPasses = {
    rgba: new Float32Array(count * 4),
    depth: new Float32Array(count),
    position: new Float32Array(count * 3),
    motion: new Float32Array(count * 4),
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
    lookAlong(eye, c * across + s, up, s * across - c);
  };
  for (let y = 0, i = 0; y < height; y++) {
    for (let x = 0; x < width; x++, i++) {
      for (let n = 0; n < samples; n++) {
        look(x + ((0.5 + n * 0.7548776662466927) % 1), y + ((0.5 + n * 0.5698402909980532) % 1));
        out.rgba[i * 4] += hit.r / samples;
        out.rgba[i * 4 + 1] += hit.g / samples;
        out.rgba[i * 4 + 2] += hit.b / samples;
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

/** Writes beauty and depth in one file, with the camera in its header. */
export async function makeGlassFloatFile(frame: number, t: number, size: FrameSize, file: string, host: NodeHost): Promise<void> {
  const { rgba, depth } = renderGlassFloat(t, size, SAMPLES);
  const channel = (c: number) => Float32Array.from({ length: depth.length }, (_, i) => rgba[i * 4 + c]);
  const planes: Plane[] = [
    ...['R', 'G', 'B'].map((name, c): Plane => ({ name, type: 'half', data: channel(c) })),
    { name: 'depth.Z', type: 'float', data: depth },
  ];
  const matrices = cameraMatrices(t, size);
  const attributes = new Map<string, Attribute>([
    ['framesPerSecond', { type: 'rational', value: [24, 1] }],
    ['owner', { type: 'string', value: 'The Tidal Clock' }],
    ['comments', { type: 'string', value: `TC_040 glass float, camera truck, frame ${frame}` }],
    ['worldToCamera', { type: 'm44f', value: matrices.worldToCamera }],
    ['worldToNDC', { type: 'm44f', value: matrices.worldToNDC }],
    ['renderTimeSeconds', { type: 'float', value: 96 }],
  ]);
  const window = windowOfSize(size.width, size.height);
  await writeFileAtomic(file, encodeExr({ displayWindow: window, dataWindow: window, planes }, { compression: 'zip', attributes }, host));
}
