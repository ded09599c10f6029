import { atScale, boundsOf, cardInverse, paintTexture, sampleRow, sampleTexture, type Card, type Paint, type Texture } from './card';
import { fractalNoise, hash, step, valueNoise } from './noise';
import { makeReeds } from './reeds';
import { lookAt, onRow, posedAt, R2X, R2Y, type DemoSize } from './render-cards';

/** TC_010's plate: the sluice and the tide mill on the salt marsh, filmed with a slow pan, a 180-degree shutter and grain. */

const PAN_PX = 3.4,
  MOMENTS = 24,
  MARGIN = 24;

function sky(y: number, x: number): Paint {
  const up = y / 300,
    cloud = fractalNoise(x * 0.008, y * 0.022, 70, 4);
  const c = step(0.45, 0.75, cloud) * 0.5;
  return [0.18 + 0.3 * up + 0.3 * c, 0.27 + 0.26 * up + 0.26 * c, 0.4 + 0.12 * up + 0.22 * c, 1];
}

function paintLand(x: number, y: number): Paint {
  const horizon = 318 + 6 * valueNoise(x * 0.01, 0, 71);
  if (x > 520 && x < 800 && y > 150 && y < 400) {
    const mill = paintMill(x, y);
    if (mill) return mill;
  }
  if (y < horizon) {
    const reeds = horizon - 10 - 16 * valueNoise(x * 0.09, 1, 72);
    if (y > reeds) return [0.07 + 0.05 * valueNoise(x * 0.7, y * 0.1, 73), 0.09, 0.05, 1];
    return sky(y, x);
  }
  if (y > 400 + 18 * valueNoise(x * 0.015, 3, 74)) return paintMarsh(x, y);
  const ripple = 0.5 + 0.5 * Math.sin(y * 0.9 + 5 * fractalNoise(x * 0.02, y * 0.12, 75, 3));
  const glint = step(0.8, 1, ripple * valueNoise(x * 0.06, y * 0.5, 76) * 1.6);
  return [0.1 + 0.06 * ripple + 0.5 * glint, 0.15 + 0.07 * ripple + 0.5 * glint, 0.19 + 0.08 * ripple + 0.45 * glint, 1];
}

function paintMarsh(x: number, y: number): Paint {
  const blade = valueNoise(x * 0.55 + y * 0.12, y * 0.06, 77),
    patch = fractalNoise(x * 0.02, y * 0.03, 78, 3);
  const light = 0.4 + 0.8 * blade;
  return [light * (0.16 + 0.16 * patch), light * (0.17 + 0.08 * patch), light * 0.07, 1];
}

function paintMill(x: number, y: number): Paint | null {
  const roof = y < 230 && y > 160 && Math.abs(x - 660) < (y - 160) * 1.7 + 8;
  const wall = y >= 226 && y < 352 && x > 552 && x < 768;
  const piles = y >= 352 && y < 392 && x > 560 && x < 760 && (x - 560) % 34 < 9;
  const gate = y >= 250 && y < 392 && x > 524 && x < 548;
  if (gate) return (y - 250) % 18 < 3 ? [0.04, 0.035, 0.03, 1] : [0.2, 0.16, 0.11, 1];
  if (piles) return [0.06, 0.05, 0.04, 1];
  if (roof) return (y + Math.floor(x / 9) * 3) % 8 < 2 ? [0.1, 0.06, 0.05, 1] : [0.27, 0.13, 0.09, 1];
  if (!wall) return null;
  // The clock face on the gable, with its hand at low tide.
  const cx = x - 660,
    cy = y - 262,
    r = Math.hypot(cx, cy);
  if (r < 27) {
    if (r > 24) return [0.45, 0.3, 0.1, 1];
    const tick = Math.abs((((Math.atan2(cy, cx) / Math.PI) * 6 + 12) % 1) - 0.5) > 0.44 && r > 18;
    const hand = Math.abs(cx * 0.8 - cy * 0.6) < 1.4 && cx * 0.6 + cy * 0.8 > -4 && r < 20;
    return tick || hand ? [0.04, 0.03, 0.03, 1] : [0.8, 0.74, 0.58, 1];
  }
  const board = (y - 226) % 10 < 1.4;
  const window = x > 584 && x < 606 && y > 290 && y < 322;
  if (window) return [1.4, 0.9, 0.35, 1];
  const grain = 0.7 + 0.5 * valueNoise(x * 0.04, y * 0.9, 79);
  return board ? [0.09, 0.08, 0.07, 1] : [0.32 * grain, 0.26 * grain, 0.19 * grain, 1];
}

function paintWheel(u: number, v: number): Paint {
  const r = Math.hypot(u, v),
    a = Math.atan2(v, u),
    spoke = Math.abs((((a / Math.PI) * 4 + 8) % 1) - 0.5);
  const rim = (r > 58 && r < 64) || (r > 44 && r < 47) || r < 9;
  const arm = r < 62 && spoke > 0.5 - 2.2 / Math.max(6, r);
  const paddle = r > 56 && r < 76 && spoke > 0.5 - 3.4 / r;
  if (!(rim || arm || paddle)) return [0, 0, 0, 0];
  const wood = 0.6 + 0.6 * valueNoise(u * 0.3, v * 0.3, 80);
  return [0.2 * wood, 0.14 * wood, 0.09 * wood, 1];
}

export interface SluicePlate {
  readonly size: DemoSize;
  readonly land: Texture;
  readonly wheel: Card;
  readonly reeds: readonly Card[];
}

export function makeSluice(size: DemoSize): SluicePlate {
  const { scale } = size,
    right = size.width / scale + MARGIN + PAN_PX * 25,
    land = paintTexture(-MARGIN, -4, right, size.height / scale + 4, paintLand, scale);
  const wheel: Card = {
    name: 'mill wheel',
    id: 0,
    depth: 60,
    texture: paintTexture(-78, -78, 78, 78, paintWheel, scale),
    pose: (t) => ({ x: 798 - PAN_PX * t, y: 344, angle: t * 0.11, curvature: 0 }),
  };
  return { size, land, wheel: atScale([wheel], scale)[0], reeds: makeReeds(scale) };
}

/** What is put between the plate's reeds and what is behind them. */
export interface PlateGuests {
  /** Nearest first. */
  readonly cards: readonly Card[];
  /** Black with density as alpha; they fall on what the plate has behind its reeds. */
  readonly shadows: readonly Card[];
}

export interface PlatePicture {
  /** RGB and alpha 1. */
  readonly rgba: Float32Array;
  /** By pixel: the share that the foreground reeds cover. */
  readonly reeds: Float32Array;
}

/** Moments of the guests for each of the plate's: they move much faster. */
const GUEST_MOMENTS = 4;

/**
 * One plate frame, its shutter open from -0.25 to 0.25. With guests it is the whole scene in one go, exposed as the plate alone is: where no guest is
 * seen the same picture to the bit, grain and all.
 */
export function renderPlate(plate: SluicePlate, t: number, frame: number, guests: PlateGuests | null = null): PlatePicture {
  const { size } = plate,
    count = size.width * size.height,
    out = new Float32Array(count * 4),
    reeds = new Float32Array(count);
  /** By pixel: the share of the plate's own light that comes through. */
  const own = new Float32Array(count);
  const uv = new Float64Array(2),
    wheelTexel = new Float64Array(4),
    front = new Float64Array(4),
    behind = new Float64Array(3),
    guest = new Float64Array(4),
    shadow = new Float64Array(4),
    land = new Float64Array(size.width * 3);
  /** By pixel of a row: something may be before the land. */
  const covered = new Uint8Array(size.width);
  for (let m = 0; m < MOMENTS; m++) {
    const moment = t - 0.25 + ((m + 0.5) / MOMENTS) * 0.5;
    const pose = plate.wheel.pose(moment),
      toWheel = cardInverse(pose),
      box = boundsOf(plate.wheel, pose);
    const inFront = posedAt(plate.reeds, moment);
    const visits = Array.from({ length: guests === null ? 0 : GUEST_MOMENTS }, (_, n) => {
      const at = t - 0.25 + ((m * GUEST_MOMENTS + n + 0.5) / (MOMENTS * GUEST_MOMENTS)) * 0.5;
      return { cards: posedAt(guests?.cards ?? [], at), shadows: posedAt(guests?.shadows ?? [], at) };
    });
    const subX = (0.5 + m * R2X) % 1,
      subY = (0.5 + m * R2Y) % 1;
    for (let y = 0; y < size.height; y++) {
      const reedsHere = onRow(inFront, y),
        visitsHere = visits.map((v) => ({ cards: onRow(v.cards, y), shadows: onRow(v.shadows, y) }));
      const sy = y + subY,
        hasWheel = sy > box.y0 && sy < box.y1;
      sampleRow(plate.land, subX / size.scale + PAN_PX * moment, sy / size.scale, land);
      covered.fill(guests === null ? 0 : 1);
      for (const { x0, x1 } of [...reedsHere.map((r) => r.box), ...(hasWheel ? [box] : [])])
        covered.fill(1, Math.max(0, x0 - 1), Math.max(0, x1 + 1));
      for (let x = 0; x < size.width; x++) {
        const sx = x + subX,
          i = y * size.width + x;
        if (covered[x] === 0) {
          for (let k = 0; k < 3; k++) out[i * 4 + k] += land[x * 3 + k] / MOMENTS;
          own[i] += 1 / MOMENTS;
          continue;
        }
        lookAt(reedsHere, sx, sy, front);
        wheelTexel.fill(0);
        if (hasWheel && sx > box.x0 && sx < box.x1) {
          toWheel(sx, sy, uv);
          sampleTexture(plate.wheel.texture, uv[0], uv[1], wheelTexel);
        }
        for (let k = 0; k < 3; k++) behind[k] = wheelTexel[k] + (1 - wheelTexel[3]) * land[x * 3 + k];
        let kept = 1;
        if (visits.length > 0) {
          kept = 0;
          guest.fill(0);
          for (let n = 0; n < visits.length; n++) {
            const p = m * GUEST_MOMENTS + n,
              gx = x + ((0.5 + p * R2X) % 1),
              gy = y + ((0.5 + p * R2Y) % 1);
            lookAt(visitsHere[n].shadows, gx, gy, shadow);
            const shade = 1 - shadow[3];
            lookAt(visitsHere[n].cards, gx, gy, shadow);
            for (let k = 0; k < 3; k++) guest[k] += shadow[k] / visits.length;
            kept += (shade * (1 - shadow[3])) / visits.length;
          }
          for (let k = 0; k < 3; k++) behind[k] = guest[k] + kept * behind[k];
        }
        const clear = 1 - front[3];
        for (let k = 0; k < 3; k++) out[i * 4 + k] += (front[k] + clear * behind[k]) / MOMENTS;
        reeds[i] += front[3] / MOMENTS;
        own[i] += (front[3] + clear * kept) / MOMENTS;
      }
    }
  }
  addEmbers(out, own, t, size);
  addGrain(out, own, frame);
  return { rgba: out, reeds };
}

/** Embers from the mill's chimney, carried off by the wind: small and bright, they draw what the shutter is into the picture. */
const EMBERS = [
  { x: 690, y: 150, vx: -27, vy: -3.5, bend: 0.12, born: -2 },
  { x: 700, y: 118, vx: -35, vy: 2.5, bend: 0.05, born: 0 },
  { x: 686, y: 196, vx: -22, vy: -6, bend: 0.2, born: 1 },
  { x: 694, y: 84, vx: -31, vy: 4, bend: -0.04, born: 9 },
  { x: 702, y: 140, vx: -40, vy: -1, bend: 0.02, born: 13 },
] as const;
const EMBER_MOMENTS = 96,
  EMBER_PX = 1.2;

/** Where an ember is, units of artwork; null before it leaves the chimney. */
export function emberAt(ember: number, t: number): { readonly x: number; readonly y: number } | null {
  const { x, y, vx, vy, bend, born } = EMBERS[ember],
    age = t - born;
  return age < 0 ? null : { x: x + vx * age, y: y + vy * age + bend * age * age };
}

export const EMBER_COUNT = EMBERS.length;

function addEmbers(rgba: Float32Array, own: Float32Array, t: number, size: DemoSize): void {
  const glow = [5.2, 2.1, 0.5];
  for (let ember = 0; ember < EMBER_COUNT; ember++)
    for (let m = 0; m < EMBER_MOMENTS; m++) {
      const place = emberAt(ember, t - 0.25 + ((m + 0.5) / EMBER_MOMENTS) * 0.5);
      if (place === null) continue;
      const at = { x: place.x * size.scale, y: place.y * size.scale };
      for (let y = Math.max(0, Math.floor(at.y - 5)); y < Math.min(size.height, at.y + 5); y++)
        for (let x = Math.max(0, Math.floor(at.x - 5)); x < Math.min(size.width, at.x + 5); x++) {
          const light = Math.exp(-((x + 0.5 - at.x) ** 2 + (y + 0.5 - at.y) ** 2) / (2 * EMBER_PX ** 2)) / EMBER_MOMENTS;
          const i = y * size.width + x;
          for (let k = 0; k < 3; k++) rgba[i * 4 + k] += 6 * glow[k] * light * own[i];
        }
    }
}

/** Stronger in the shadows relative to the signal, as film is: sigma = 0.5 (0.012 + 0.03 sqrt(signal)), on the plate's own light. */
function addGrain(rgba: Float32Array, own: Float32Array, frame: number): void {
  for (let i = 0; i < rgba.length; i += 4) {
    for (let k = 0; k < 3; k++) {
      const n = hash(i, k, frame * 3) + hash(i, k, frame * 3 + 1) + hash(i, k, frame * 3 + 2) - 1.5;
      rgba[i + k] = Math.max(0, rgba[i + k] + own[i / 4] * n * (0.012 + 0.03 * Math.sqrt(rgba[i + k])));
    }
    rgba[i + 3] = 1;
  }
}
