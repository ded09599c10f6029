import { paintTexture, sampleTexture, type Paint, type Texture } from './card';
import { fractalNoise, step, valueNoise } from './noise';
import { R2X, R2Y, type DemoSize } from './render-cards';
import { turned, type Placement } from './solid/placement';

/** What stands around TC_050's camera, painted on a cylinder: u is PX_A_RADIAN times the direction, v as much times what lies below the horizon. */
const PX_A_RADIAN = 930;
const LEFT = -700,
  RIGHT = 700,
  TOP = -380,
  BOTTOM = 330;
/** The dike's ridge and foot, below the horizon. */
const RIDGE = -26,
  FOOT = 16;
/** Texels a unit: a pan softens it anyway. */
const FINE = 0.4;

function paintDike(u: number, v: number): Paint {
  const ridge = RIDGE + 5 * valueNoise(u * 0.012, 0, 901);
  if (v > FOOT) return paintMarsh(u, v);
  if (v > ridge - 9 * valueNoise(u * 0.4, 2, 902)) {
    const blade = 0.3 + 0.8 * valueNoise(u * 0.5, v * 0.12, 903) * fractalNoise(u * 0.03, v * 0.08, 904, 3);
    const path = Math.abs(v - ridge - 12) < 2.5 ? 1.7 : 1;
    return [0.2 * blade * path, 0.23 * blade * path, 0.09 * blade, 1];
  }
  return paintMill(u - 330, v) ?? paintPosts(u, v, ridge) ?? paintSky(u, v);
}

/** The tide mill stands on the dike, its clock towards the marsh. */
function paintMill(u: number, v: number): Paint | null {
  const across = Math.abs(u),
    roof = v < -150;
  if (v < -230 || (roof ? across > (v + 230) * 1.25 : across > 84)) return null;
  const clock = Math.hypot(u, v + 108);
  if (clock < 30) {
    if (clock > 26) return [0.5, 0.34, 0.1, 1];
    const hand = Math.abs(u) < 1.8 && v < -106 ? 1 : Math.abs(v + 108 - 0.5 * u) < 1.8 && u > -4 && clock < 19 ? 1 : 0;
    return hand === 1 ? [0.05, 0.04, 0.04, 1] : [0.78, 0.72, 0.58, 1];
  }
  if (Math.abs(u) < 18 && v > -58) return [0.03, 0.025, 0.03, 1];
  const board = (0.45 + 0.6 * valueNoise(u * 0.09, v * 0.6, 911)) * (Math.floor(v + 400) % 11 < 1 ? 0.4 : 1);
  return roof ? [0.27 * board, 0.12 * board, 0.09 * board, 1] : [0.33 * board, 0.27 * board, 0.21 * board, 1];
}

function paintPosts(u: number, v: number, ridge: number): Paint | null {
  const spacing = 92,
    n = Math.round(u / spacing),
    off = u - n * spacing - 12 * valueNoise(n, 3, 921);
  if (Math.abs(off) > 4.5 || v < ridge - 46 - 14 * valueNoise(n, 5, 922)) return null;
  const light = (0.4 + 0.8 * valueNoise(u * 0.9, v * 0.06, 923)) * (1.1 - 0.03 * off * off);
  return [0.28 * light, 0.22 * light, 0.16 * light, 1];
}

function paintSky(u: number, v: number): Paint {
  const up = -v / 380,
    cloud = 0.55 * step(0.42, 0.72, fractalNoise(u * 0.008, v * 0.021, 931, 5));
  return [0.36 + 0.2 * cloud - 0.16 * up, 0.41 + 0.17 * cloud - 0.12 * up, 0.47 + 0.13 * cloud - 0.04 * up, 1];
}

/** Mud, samphire and puddles, farther the nearer they lie to the horizon. */
function paintMarsh(u: number, v: number): Paint {
  const away = 330 / v,
    across = (u * away) / 300,
    fade = step(9, 2, away);
  const mud = 0.4 + 0.9 * fractalNoise(across * 7, away * 7, 941, 4),
    wet = step(0.52, 0.57, fractalNoise(across * 1.6, away * 2.6, 942, 3)) * fade,
    green = step(0.5, 0.62, fractalNoise(across * 2.8, away * 3.6, 943, 4)),
    grit = valueNoise(across * 46, away * 46, 944) > 0.8 ? 1 + 0.5 * fade : 1;
  const dry = (a: number, b: number) => (a + (b - a) * green) * mud * grit;
  const mix = (a: number, b: number) => a * (1 - wet) + b * wet * (0.8 + 0.3 * mud);
  return [mix(dry(0.2, 0.15), 0.33), mix(dry(0.155, 0.19), 0.37), mix(dry(0.11, 0.075), 0.42), 1];
}

let painted: Texture | null = null;

/** What a camera on the marsh sees through an open shutter that only turns; opaque, RGBA. */
export function exposeDike(
  camera: (t: number) => Placement,
  t: number,
  { opens, closes }: { readonly opens: number; readonly closes: number },
  focalPx: number,
  { width, height }: DemoSize,
  moments: number,
): Float32Array {
  const texture = (painted ??= paintTexture(LEFT, TOP, RIGHT, BOTTOM, paintDike, FINE)),
    out = new Float32Array(width * height * 4),
    texel = new Float64Array(4);
  for (let m = 0; m < moments; m++) {
    const place = camera(t + opens + ((m + 0.5) / moments) * (closes - opens)),
      subX = (0.5 + m * R2X) % 1,
      subY = (0.5 + m * R2Y) % 1;
    const [ax, ay, az] = place[0].map((v) => v / focalPx);
    for (let y = 0, i = 0; y < height; y++) {
      let [dx, dy, dz] = turned(place, [(subX - width / 2) / focalPx, (y + subY - height / 2) / focalPx, 1]);
      for (let x = 0; x < width; x++, i += 4, dx += ax, dy += ay, dz += az) {
        sampleTexture(texture, PX_A_RADIAN * Math.atan2(dx, dz), (PX_A_RADIAN * dy) / Math.sqrt(dx * dx + dz * dz), texel);
        for (let c = 0; c < 4; c++) out[i + c] += texel[c] / moments;
      }
    }
  }
  return out;
}
