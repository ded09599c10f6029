/** Scene-linear, not premultiplied, with its coverage: what a painter function returns. */
export type Paint = readonly [r: number, g: number, b: number, a: number];

/** A colour under more or less light, with a coverage of its own. */
export function shade(base: Paint, light: number, alpha: number): Paint {
  return [base[0] * light, base[1] * light, base[2] * light, alpha];
}

/** Where a card is and how it is bent, at one moment. Pixels, radians, y down. */
export interface Pose {
  readonly x: number;
  readonly y: number;
  readonly angle: number;
  /** 1 / radius of the circle that the card's u axis is bent to; 0 is flat. */
  readonly curvature: number;
  /** Size on screen against the texture's own; 1 when missing. */
  readonly scale?: number;
}

/** A flat piece of artwork in its own coordinates (u along, v across, pixels), painted once, posed at any moment. */
export interface Card {
  readonly name: string;
  readonly id: number;
  readonly depth: number;
  readonly texture: Texture;
  pose(timeFrames: number): Pose;
}

export interface Texture {
  readonly uMin: number;
  readonly vMin: number;
  readonly width: number;
  readonly height: number;
  /** Texels a unit of artwork. */
  readonly density: number;
  /** Premultiplied RGBA. */
  readonly rgba: Float32Array;
}

/** Texels a pixel of the picture: no texture needs to be finer than it shows. */
export const TEXELS_PER_PIXEL = 3;

/** Paints a card's rest pose once; four samples a texel. `scale` is pixels a unit of artwork. */
export function paintTexture(
  uMin: number,
  vMin: number,
  uMax: number,
  vMax: number,
  paint: (u: number, v: number) => Paint,
  scale = 1,
): Texture {
  const density = TEXELS_PER_PIXEL * scale,
    width = Math.ceil((uMax - uMin) * density),
    height = Math.ceil((vMax - vMin) * density);
  const rgba = new Float32Array(width * height * 4);
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x++)
      for (let n = 0; n < 4; n++) {
        const sx = n & 1 ? 0.75 : 0.25,
          sy = n & 2 ? 0.75 : 0.25;
        const [r, g, b, a] = paint(uMin + (x + sx) / density, vMin + (y + sy) / density);
        const i = (y * width + x) * 4,
          w = a / 4;
        rgba[i] += r * w;
        rgba[i + 1] += g * w;
        rgba[i + 2] += b * w;
        rgba[i + 3] += w;
      }
  return { uMin, vMin, width, height, density, rgba };
}

/** The same cards in a picture of another size: `scale` pixels a unit of artwork. */
export function atScale(cards: readonly Card[], scale: number): readonly Card[] {
  return cards.map((card) => ({
    ...card,
    pose: (t) => {
      const pose = card.pose(t);
      return { ...pose, x: pose.x * scale, y: pose.y * scale, scale: (pose.scale ?? 1) * scale };
    },
  }));
}

/** Bilinear, clear outside. Writes 4 values. */
export function sampleTexture(texture: Texture, u: number, v: number, out: Float64Array): void {
  const { width, height, density, rgba } = texture;
  const x = (u - texture.uMin) * density - 0.5,
    y = (v - texture.vMin) * density - 0.5;
  const ix = Math.floor(x),
    iy = Math.floor(y);
  out[0] = out[1] = out[2] = out[3] = 0;
  if (ix < 0 || iy < 0 || ix + 1 >= width || iy + 1 >= height) return;
  const fx = x - ix,
    fy = y - iy,
    i = (iy * width + ix) * 4,
    j = i + width * 4;
  const a = (1 - fx) * (1 - fy),
    b = fx * (1 - fy),
    c = (1 - fx) * fy,
    d = fx * fy;
  for (let k = 0; k < 4; k++) out[k] = rgba[i + k] * a + rgba[i + 4 + k] * b + rgba[j + k] * c + rgba[j + 4 + k] * d;
}

/** RGB of places one pixel of the picture apart along u, as `sampleTexture` gives them: 3 values each. */
export function sampleRow(texture: Texture, u: number, v: number, out: Float64Array): void {
  const { width, height, density, rgba } = texture;
  const x = (u - texture.uMin) * density - 0.5,
    y = (v - texture.vMin) * density - 0.5;
  const first = Math.floor(x),
    iy = Math.floor(y);
  out.fill(0);
  if (iy < 0 || iy + 1 >= height) return;
  // A pixel is a whole number of texels: all of them lie alike between their neighbours.
  const fx = x - first,
    fy = y - iy;
  const a = (1 - fx) * (1 - fy),
    b = fx * (1 - fy),
    c = (1 - fx) * fy,
    d = fx * fy;
  for (let n = 0; n < out.length / 3; n++) {
    const ix = first + n * TEXELS_PER_PIXEL;
    if (ix < 0 || ix + 1 >= width) continue;
    const i = (iy * width + ix) * 4,
      j = i + width * 4;
    for (let k = 0; k < 3; k++) out[n * 3 + k] = rgba[i + k] * a + rgba[i + 4 + k] * b + rgba[j + k] * c + rgba[j + 4 + k] * d;
  }
}

/** Card to screen: the u axis follows a circle of the pose's curvature, then rotation and place. */
export function toScreen(pose: Pose, u: number, v: number): readonly [number, number] {
  const k = pose.curvature;
  let bx = u,
    by = v;
  if (Math.abs(k) > 1e-9) {
    bx = Math.sin(k * u) * (1 / k - v);
    by = 1 / k - Math.cos(k * u) * (1 / k - v);
  }
  const scale = pose.scale ?? 1,
    c = scale * Math.cos(pose.angle),
    s = scale * Math.sin(pose.angle);
  return [pose.x + c * bx - s * by, pose.y + s * bx + c * by];
}

/** Writes u, v of a point on screen. */
export type ToCard = (x: number, y: number, out: Float64Array) => void;

/** Screen to card: the closed-form inverse of `toScreen`, with what a pose has in common worked out once. */
export function cardInverse(pose: Pose): ToCard {
  const scale = pose.scale ?? 1,
    c = Math.cos(pose.angle) / scale,
    s = Math.sin(pose.angle) / scale,
    k = pose.curvature,
    { x: px, y: py } = pose;
  if (Math.abs(k) <= 1e-9)
    return (x, y, out) => {
      out[0] = c * (x - px) + s * (y - py);
      out[1] = c * (y - py) - s * (x - px);
    };
  const sign = Math.sign(k);
  return (x, y, out) => {
    const bx = c * (x - px) + s * (y - py),
      up = 1 / k - c * (y - py) + s * (x - px);
    out[0] = Math.atan2(sign * bx, sign * up) / k;
    out[1] = 1 / k - sign * Math.sqrt(bx * bx + up * up);
  };
}

export function toCard(pose: Pose, x: number, y: number, out: Float64Array): void {
  cardInverse(pose)(x, y, out);
}

/** A box on screen that holds the posed card. */
export function boundsOf(card: Card, pose: Pose): { x0: number; y0: number; x1: number; y1: number } {
  const { uMin, vMin, width, height, density } = card.texture;
  let x0 = Infinity,
    y0 = Infinity,
    x1 = -Infinity,
    y1 = -Infinity;
  // A bent edge leaves the hull of its ends: walk along it.
  for (let i = 0; i <= 16; i++) {
    for (let j = 0; j <= 4; j++) {
      const [x, y] = toScreen(pose, uMin + ((i / 16) * width) / density, vMin + ((j / 4) * height) / density);
      x0 = Math.min(x0, x);
      y0 = Math.min(y0, y);
      x1 = Math.max(x1, x);
      y1 = Math.max(y1, y);
    }
  }
  return { x0: Math.floor(x0 - 3), y0: Math.floor(y0 - 3), x1: Math.ceil(x1 + 3), y1: Math.ceil(y1 + 3) };
}
