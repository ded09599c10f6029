// The blur's inner loop: for each output pixel, for each time slice, for each layer front to back, follow the
// layer's path backwards, sample its premultiplied colour, composite, and average over the slices.
//
// A layer record is 12 words of 4 bytes: colour pointer, colour x0, y0, width, height,
// path pointer, path x0, y0, width, height, two spare. Colour: RGBA f32 a pixel. Path: 8 f32 a pixel,
// A = (g or d).x, .y, (lambda or m).re, .im and B likewise; the parameter at time t is X = t A + t^2 B.
// Origins are in display-window pixels; a pixel outside the path box means that the layer can't get there.

const RECORD: usize = 48;

/**
 * Renders the span [x0, x1) of row y into out (RGBA f32).
 * layers: records, nearest first. times, weights: f32, `slices` of each; weights sum to 1.
 * arc: 1 = X holds (g, lambda) of a similarity flow, 0 = X holds (displacement, its gradient).
 * cubic: 1 = Catmull-Rom, 0 = bilinear.
 */
export function renderSpan(layers: usize, layerCount: i32, times: usize, weights: usize, slices: i32,
  x0: i32, x1: i32, y: i32, arc: i32, cubic: i32, out: usize): void {
  for (let x = x0; x < x1; x++) {
    let sum = f32x4.splat(0);
    for (let s = 0; s < slices; s++) {
      const t = load<f32>(times + (<usize>s << 2));
      const tt = t * t;
      let over = f32x4.splat(0);
      let clear: f32 = 1;
      for (let l = 0; l < layerCount; l++) {
        const record = layers + <usize>l * RECORD;
        const px = x - load<i32>(record, 24);
        const py = y - load<i32>(record, 28);
        const pw = load<i32>(record, 32);
        if (<u32>px >= <u32>pw || <u32>py >= load<u32>(record, 36)) continue;
        const path = load<usize>(record, 20) + (<usize>(py * pw + px) << 5);
        const p = f32x4.add(f32x4.mul(v128.load(path), f32x4.splat(t)), f32x4.mul(v128.load(path, 16), f32x4.splat(tt)));
        const gx = f32x4.extract_lane(p, 0), gy = f32x4.extract_lane(p, 1);
        const lr = f32x4.extract_lane(p, 2), li = f32x4.extract_lane(p, 3);
        let kr: f32, ki: f32;
        if (arc) {
          // phi(-lambda) = sum (-lambda)^k / (k+1)!, by Horner.
          const zr = -lr, zi = -li;
          kr = 1.0 / 720.0; ki = 0;
          let nr: f32;
          nr = kr * zr - ki * zi + 1.0 / 120.0; ki = kr * zi + ki * zr; kr = nr;
          nr = kr * zr - ki * zi + 1.0 / 24.0; ki = kr * zi + ki * zr; kr = nr;
          nr = kr * zr - ki * zi + 1.0 / 6.0; ki = kr * zi + ki * zr; kr = nr;
          nr = kr * zr - ki * zi + 0.5; ki = kr * zi + ki * zr; kr = nr;
          nr = kr * zr - ki * zi + 1.0; ki = kr * zi + ki * zr; kr = nr;
        } else {
          // p + D(p) = q with D linear around q: the step back is D(q) / (1 + M).
          const ar: f32 = 1.0 + lr;
          const inverse: f32 = 1.0 / max<f32>(ar * ar + li * li, 1e-4);
          kr = ar * inverse; ki = -li * inverse;
        }
        const fx = <f32>x - (gx * kr - gy * ki) - <f32>load<i32>(record, 4);
        const fy = <f32>y - (gx * ki + gy * kr) - <f32>load<i32>(record, 8);
        const w = load<i32>(record, 12), h = load<i32>(record, 16);
        // Beyond the reach of the cubic filter, and for NaN, the layer is absent.
        if (!(fx > -2.0 && fy > -2.0 && fx < <f32>(w + 1) && fy < <f32>(h + 1))) continue;
        const colour = load<usize>(record, 0);
        const c = cubic ? sampleCubic(colour, w, h, fx, fy) : sampleLinear(colour, w, h, fx, fy);
        over = f32x4.add(over, f32x4.mul(c, f32x4.splat(clear)));
        clear = 1 - f32x4.extract_lane(over, 3);
        if (clear < 0.0005) break;
      }
      sum = f32x4.add(sum, f32x4.mul(over, f32x4.splat(load<f32>(weights + (<usize>s << 2)))));
    }
    v128.store(out + (<usize>(x - x0) << 4), sum);
  }
}

@inline
function texel(colour: usize, w: i32, h: i32, x: i32, y: i32): v128 {
  if (<u32>x >= <u32>w || <u32>y >= <u32>h) return f32x4.splat(0);
  return v128.load(colour + (<usize>(y * w + x) << 4));
}

function sampleLinear(colour: usize, w: i32, h: i32, fx: f32, fy: f32): v128 {
  const flX = floor(fx), flY = floor(fy);
  const x = <i32>flX, y = <i32>flY;
  const u = f32x4.splat(fx - flX), v = f32x4.splat(fy - flY);
  let a: v128, b: v128, c: v128, d: v128;
  if (x >= 0 && y >= 0 && x + 1 < w && y + 1 < h) {
    const p = colour + (<usize>(y * w + x) << 4);
    const below = p + (<usize>w << 4);
    a = v128.load(p); b = v128.load(p, 16); c = v128.load(below); d = v128.load(below, 16);
  } else {
    a = texel(colour, w, h, x, y); b = texel(colour, w, h, x + 1, y);
    c = texel(colour, w, h, x, y + 1); d = texel(colour, w, h, x + 1, y + 1);
  }
  const top = f32x4.add(a, f32x4.mul(f32x4.sub(b, a), u));
  const bottom = f32x4.add(c, f32x4.mul(f32x4.sub(d, c), u));
  return f32x4.add(top, f32x4.mul(f32x4.sub(bottom, top), v));
}

// Catmull-Rom: interpolates, so that a still pixel comes back unchanged (Keys 1981, a = -1/2).
function sampleCubic(colour: usize, w: i32, h: i32, fx: f32, fy: f32): v128 {
  const flX = floor(fx), flY = floor(fy);
  const x = <i32>flX - 1, y = <i32>flY - 1;
  const u = fx - flX, v = fy - flY;
  const wx0 = f32x4.splat(((-0.5 * u + 1.0) * u - 0.5) * u), wx1 = f32x4.splat((1.5 * u - 2.5) * u * u + 1.0);
  const wx2 = f32x4.splat(((-1.5 * u + 2.0) * u + 0.5) * u), wx3 = f32x4.splat((0.5 * u - 0.5) * u * u);
  const wy0: f32 = ((-0.5 * v + 1.0) * v - 0.5) * v, wy1: f32 = (1.5 * v - 2.5) * v * v + 1.0;
  const wy2: f32 = ((-1.5 * v + 2.0) * v + 0.5) * v, wy3: f32 = (0.5 * v - 0.5) * v * v;
  if (x >= 0 && y >= 0 && x + 3 < w && y + 3 < h) {
    const stride = <usize>w << 4;
    let p = colour + (<usize>(y * w + x) << 4);
    let sum = f32x4.mul(cubicRow(p, wx0, wx1, wx2, wx3), f32x4.splat(wy0)); p += stride;
    sum = f32x4.add(sum, f32x4.mul(cubicRow(p, wx0, wx1, wx2, wx3), f32x4.splat(wy1))); p += stride;
    sum = f32x4.add(sum, f32x4.mul(cubicRow(p, wx0, wx1, wx2, wx3), f32x4.splat(wy2))); p += stride;
    return f32x4.add(sum, f32x4.mul(cubicRow(p, wx0, wx1, wx2, wx3), f32x4.splat(wy3)));
  }
  let sum = f32x4.splat(0);
  for (let j = 0; j < 4; j++) {
    let row = f32x4.mul(texel(colour, w, h, x, y + j), wx0);
    row = f32x4.add(row, f32x4.mul(texel(colour, w, h, x + 1, y + j), wx1));
    row = f32x4.add(row, f32x4.mul(texel(colour, w, h, x + 2, y + j), wx2));
    row = f32x4.add(row, f32x4.mul(texel(colour, w, h, x + 3, y + j), wx3));
    const wy = j == 0 ? wy0 : j == 1 ? wy1 : j == 2 ? wy2 : wy3;
    sum = f32x4.add(sum, f32x4.mul(row, f32x4.splat(wy)));
  }
  return sum;
}

@inline
function cubicRow(p: usize, w0: v128, w1: v128, w2: v128, w3: v128): v128 {
  const left = f32x4.add(f32x4.mul(v128.load(p), w0), f32x4.mul(v128.load(p, 16), w1));
  return f32x4.add(left, f32x4.add(f32x4.mul(v128.load(p, 32), w2), f32x4.mul(v128.load(p, 48), w3)));
}
