import { sampleTexture, type Texture } from '../card';
import { R2X, R2Y, type FrameSize, type SharpPasses } from '../render-cards';
import { emptyMesh, type Mesh } from './mesh';
import { inverse, placed, turned, type Placement, type Vector } from './placement';

/** Surfaces in space before a camera that may move. */
export interface SolidScene {
  readonly name: string;
  readonly stresses: string;
  /** Pixels in a picture 640 px wide. */
  readonly focalPx: number;
  /** The camera's place in the world; it looks along its z. */
  readonly camera: (t: number) => Placement;
  /** Adds what is there at one moment. */
  readonly build: (mesh: Mesh, t: number) => void;
}

/** What the depth pass says where nothing is. */
export const NOTHING_FAR = 1e6;

/** Nearer than this, in units of length, nothing is drawn. */
const NEAR = 0.15;
/** Towards the light, in the world. */
const LIGHT: Vector = unit([-0.5, -0.72, -0.55]);
const AMBIENT = 0.3,
  DIFFUSE = 0.8;

/** A scene at one moment, as its camera sees it. */
interface View {
  readonly mesh: Mesh;
  /** In camera space, x, y, z a point. */
  readonly points: Float64Array;
  /** On screen, x, y and 1 / z a point. */
  readonly screen: Float64Array;
  readonly normals: Float64Array;
  readonly light: Vector;
}

function viewAt(scene: SolidScene, t: number, size: FrameSize): View {
  const mesh = emptyMesh();
  scene.build(mesh, t);
  const toCamera = inverse(scene.camera(t)),
    count = mesh.points.length / 3,
    points = new Float64Array(count * 3),
    screen = new Float64Array(count * 3);
  for (let i = 0; i < count; i++) {
    const at = placed(toCamera, [mesh.points[i * 3], mesh.points[i * 3 + 1], mesh.points[i * 3 + 2]]);
    points.set(at, i * 3);
    screen.set(onScreen(scene, size, at[0], at[1], at[2]), i * 3);
  }
  return { mesh, points, screen, normals: normalsOf(mesh, points), light: turned(toCamera, LIGHT) };
}

function onScreen({ focalPx }: SolidScene, { width, height }: FrameSize, x: number, y: number, z: number): Vector {
  const f = (focalPx * width) / 640;
  return [width / 2 + (f * x) / z, height / 2 + (f * y) / z, 1 / z];
}

/** A point's: the sum over the triangles around it, longer where they are larger. */
function normalsOf({ corners }: Mesh, p: Float64Array): Float64Array {
  const out = new Float64Array(p.length);
  for (let t = 0; t < corners.length; t += 3) {
    const a = corners[t] * 3,
      b = corners[t + 1] * 3,
      c = corners[t + 2] * 3;
    const ux = p[b] - p[a],
      uy = p[b + 1] - p[a + 1],
      uz = p[b + 2] - p[a + 2],
      vx = p[c] - p[a],
      vy = p[c + 1] - p[a + 1],
      vz = p[c + 2] - p[a + 2];
    const n = [uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx];
    for (const at of [a, b, c]) for (let k = 0; k < 3; k++) out[at + k] += n[k];
  }
  return out;
}

/** What is met first at `samples` places a pixel: 1 / z, and which triangle; -1 is none. */
interface Hits {
  readonly near: Float32Array;
  readonly triangle: Int32Array;
}

function findHits({ mesh, screen, points }: View, { width, height }: FrameSize, offsets: readonly (readonly [number, number])[]): Hits {
  const samples = offsets.length,
    near = new Float32Array(width * height * samples),
    triangle = new Int32Array(near.length).fill(-1);
  const { corners } = mesh;
  for (let t = 0; t < corners.length / 3; t++) {
    const a = corners[t * 3] * 3,
      b = corners[t * 3 + 1] * 3,
      c = corners[t * 3 + 2] * 3;
    if (points[a + 2] < NEAR || points[b + 2] < NEAR || points[c + 2] < NEAR) continue;
    const ax = screen[a],
      ay = screen[a + 1];
    const area = (screen[b] - ax) * (screen[c + 1] - ay) - (screen[b + 1] - ay) * (screen[c] - ax);
    if (area === 0) continue;
    const x0 = Math.max(0, Math.floor(Math.min(ax, screen[b], screen[c]))),
      x1 = Math.min(width - 1, Math.floor(Math.max(ax, screen[b], screen[c]))),
      y0 = Math.max(0, Math.floor(Math.min(ay, screen[b + 1], screen[c + 1]))),
      y1 = Math.min(height - 1, Math.floor(Math.max(ay, screen[b + 1], screen[c + 1])));
    const bx = (screen[c + 1] - ay) / area,
      by = (ax - screen[c]) / area,
      cx = (ay - screen[b + 1]) / area,
      cy = (screen[b] - ax) / area,
      db = screen[b + 2] - screen[a + 2],
      dc = screen[c + 2] - screen[a + 2];
    for (let y = y0; y <= y1; y++)
      for (let s = 0; s < samples; s++) {
        const dx = x0 + offsets[s][0] - ax,
          dy = y + offsets[s][1] - ay;
        let wb = bx * dx + by * dy,
          wc = cx * dx + cy * dy,
          i = (y * width + x0) * samples + s;
        for (let x = x0; x <= x1; x++, wb += bx, wc += cx, i += samples) {
          // A hair over the edge on both sides: two triangles that meet leave no gap.
          if (wb < -1e-9 || wc < -1e-9 || wb + wc > 1 + 1e-9) continue;
          const z = screen[a + 2] + wb * db + wc * dc;
          if (z > near[i]) {
            near[i] = z;
            triangle[i] = t;
          }
        }
      }
  }
  return { near, triangle };
}

const shares = new Float64Array(3);

/** How much of a triangle's corners the place on screen has, in space. */
function sharesAt({ mesh: { corners }, screen }: View, triangle: number, x: number, y: number): void {
  const a = corners[triangle * 3] * 3,
    b = corners[triangle * 3 + 1] * 3,
    c = corners[triangle * 3 + 2] * 3;
  const ax = screen[a],
    ay = screen[a + 1],
    area = (screen[b] - ax) * (screen[c + 1] - ay) - (screen[b + 1] - ay) * (screen[c] - ax);
  const wb = ((x - ax) * (screen[c + 1] - ay) - (y - ay) * (screen[c] - ax)) / area,
    wc = ((screen[b] - ax) * (y - ay) - (screen[b + 1] - ay) * (x - ax)) / area;
  const pa = (1 - wb - wc) * screen[a + 2],
    pb = wb * screen[b + 2],
    pc = wc * screen[c + 2],
    sum = pa + pb + pc;
  shares[0] = pa / sum;
  shares[1] = pb / sum;
  shares[2] = pc / sum;
}

const texel = new Float64Array(4);

/** Adds the light of the place on screen to `out`, times `weight`; opaque. */
function addLight(view: View, triangle: number, x: number, y: number, weight: number, out: Float64Array, at: number): void {
  const { mesh, points, normals, light } = view;
  const material = mesh.materials[triangle];
  sharesAt(view, triangle, x, y);
  let u = 0,
    v = 0,
    px = 0,
    py = 0,
    pz = 0,
    nx = 0,
    ny = 0,
    nz = 0;
  for (let k = 0; k < 3; k++) {
    const p = mesh.corners[triangle * 3 + k],
      w = shares[k];
    u += w * mesh.uvs[p * 2];
    v += w * mesh.uvs[p * 2 + 1];
    px += w * points[p * 3];
    py += w * points[p * 3 + 1];
    pz += w * points[p * 3 + 2];
    nx += w * normals[p * 3];
    ny += w * normals[p * 3 + 1];
    nz += w * normals[p * 3 + 2];
  }
  // Both sides of a surface are lit alike: its normal looks at the viewer.
  const far = Math.hypot(px, py, pz),
    long = Math.hypot(nx, ny, nz) * (nx * px + ny * py + nz * pz > 0 ? -1 : 1);
  const lit = (nx * light[0] + ny * light[1] + nz * light[2]) / long,
    hx = light[0] - px / far,
    hy = light[1] - py / far,
    hz = light[2] - pz / far;
  const mirrored = (nx * hx + ny * hy + nz * hz) / (long * Math.hypot(hx, hy, hz));
  const diffuse = AMBIENT + DIFFUSE * Math.max(0, lit),
    specular = material.shine === 0 || mirrored <= 0 ? 0 : material.shine * mirrored ** material.gloss;
  repeated(material.texture, u, v);
  for (let c = 0; c < 3; c++) out[at + c] += weight * (texel[c] * diffuse + specular);
  out[at + 3] += weight;
}

/** The texture's own border of a texel is left out, so that both ends can be read between texels. */
function repeated(texture: Texture, u: number, v: number): void {
  const w = (texture.width - 2) / texture.density,
    h = (texture.height - 2) / texture.density,
    edge = 0.5 / texture.density + 1e-9;
  sampleTexture(texture, texture.uMin + edge + wrapped(u, w), texture.vMin + edge + wrapped(v, h), texel);
}

/** Back and forth, so that the ends meet. */
function wrapped(u: number, length: number): number {
  const turn = Math.abs(u) % (2 * length);
  return turn > length ? 2 * length - turn : turn;
}

/** Places a pixel of one look. */
const PER_LOOK = 4;

/** Four places a pixel, one a quarter, moved on by `n`. */
function offsetsOf(n: number): [number, number][] {
  return Array.from({ length: PER_LOOK }, (_, q) => [((q & 1) + ((0.5 + n * R2X) % 1)) / 2, ((q >> 1) + ((0.5 + n * R2Y) % 1)) / 2]);
}

function addLook(view: View, size: FrameSize, n: number, weight: number, out: Float64Array): void {
  const offsets = offsetsOf(n),
    { triangle } = findHits(view, size, offsets);
  for (let i = 0, y = 0; y < size.height; y++)
    for (let x = 0; x < size.width; x++, i++)
      for (let s = 0; s < PER_LOOK; s++) {
        const hit = triangle[i * PER_LOOK + s];
        if (hit >= 0) addLight(view, hit, x + offsets[s][0], y + offsets[s][1], weight / PER_LOOK, out, i * 4);
      }
}

/** The picture at one moment of `looks` times four points a pixel, and the data passes of the pixels' middles. */
export function renderSolid(scene: SolidScene, t: number, size: FrameSize, looks: number): SharpPasses {
  const view = viewAt(scene, t, size),
    count = size.width * size.height,
    sum = new Float64Array(count * 4);
  for (let n = 0; n < looks; n++) addLook(view, size, n, 1 / looks, sum);
  const out: SharpPasses = {
    rgba: Float32Array.from(sum),
    motion: new Float32Array(count * 4),
    depth: new Float32Array(count).fill(NOTHING_FAR),
    ids: new Uint32Array(count),
  };
  const { near, triangle } = findHits(view, size, [[0.5, 0.5]]),
    there = [viewAt(scene, t + 1, size), viewAt(scene, t - 1, size)];
  for (let i = 0; i < count; i++) {
    const hit = triangle[i];
    if (hit < 0) continue;
    const x = (i % size.width) + 0.5,
      y = Math.floor(i / size.width) + 0.5;
    sharesAt(view, hit, x, y);
    there.forEach(({ points, mesh: { corners } }, side) => {
      const at = [0, 0, 0];
      for (let k = 0; k < 3; k++) for (let c = 0; c < 3; c++) at[c] += shares[k] * points[corners[hit * 3 + k] * 3 + c];
      const [sx, sy] = onScreen(scene, size, at[0], at[1], Math.max(1e-3, at[2]));
      out.motion[i * 4 + side * 2] = sx - x;
      out.motion[i * 4 + side * 2 + 1] = sy - y;
    });
    out.depth[i] = 1 / near[i];
    out.ids[i] = view.mesh.materials[hit].id;
  }
  return out;
}

/** The truth under several shutters: the mean of `moments` pictures a frame of time, four points a pixel each. Premultiplied RGBA. */
export function exposeSolid(
  scene: SolidScene,
  t: number,
  shutters: readonly { readonly opens: number; readonly closes: number }[],
  size: FrameSize,
  moments: number,
): Float32Array[] {
  const sums = shutters.map(() => new Float64Array(size.width * size.height * 4)),
    counts = shutters.map(() => 0),
    from = Math.round(Math.min(...shutters.map(({ opens }) => opens)) * moments),
    to = Math.round(Math.max(...shutters.map(({ closes }) => closes)) * moments),
    one = new Float64Array(sums[0].length);
  for (let m = from; m < to; m++) {
    const at = (m + 0.5) / moments,
      open = shutters.flatMap(({ opens, closes }, k) => (at > opens && at < closes ? [k] : []));
    if (open.length === 0) continue;
    one.fill(0);
    addLook(viewAt(scene, t + at, size), size, m - from, 1, one);
    for (const k of open) {
      counts[k]++;
      const sum = sums[k];
      for (let i = 0; i < one.length; i++) sum[i] += one[i];
    }
  }
  return sums.map((sum, k) => Float32Array.from(sum, (v) => v / counts[k]));
}

function unit([x, y, z]: Vector): Vector {
  const long = Math.hypot(x, y, z);
  return [x / long, y / long, z / long];
}
