// Colours through tables of light: see core's grade.ts for what the tables hold.

@inline
function lightAt(table: usize, entries: i32, firstStep: i32, shift: i32, atZero: f32, below: f32, v: f32): f32 {
  if (v <= 0) return atZero + v * below;
  const word = reinterpret<u32>(v);
  const index = <i32>(word >>> shift) - firstStep;
  if (index < 0) return atZero + (load<f32>(table) - atZero) * v / reinterpret<f32>(<u32>firstStep << shift);
  // Beyond the table it goes on as steeply as it ends.
  const at = table + (<usize>min(index, entries - 1) << 2);
  const low = load<f32>(at);
  const rise = load<f32>(at, 4) - low;
  if (index < entries) return low + rise * <f32>(word & ((1 << shift) - 1)) / <f32>(1 << shift);
  const last = reinterpret<f32>(<u32>(firstStep + entries) << shift);
  const before = reinterpret<f32>(<u32>(firstStep + entries - 1) << shift);
  return load<f32>(at, 4) + rise * (v - last) / (last - before);
}

/**
 * Premultiplied RGBA in place. `tables`: red, green, blue and luma (read only with `hasLuma`), `entries` + 1 floats each, after 8 floats of their values
 * at zero and slopes below it.
 */
export function gradePixels(
  rgba: usize,
  count: i32,
  tables: usize,
  entries: i32,
  firstStep: i32,
  shift: i32,
  saturation: f32,
  hasLuma: i32,
): void {
  const size: usize = <usize>(entries + 1) << 2;
  const red = tables + 32;
  const green = red + size;
  const blue = green + size;
  const luma = blue + size;
  const zr = load<f32>(tables);
  const zg = load<f32>(tables, 4);
  const zb = load<f32>(tables, 8);
  const zl = load<f32>(tables, 12);
  const sr = load<f32>(tables, 16);
  const sg = load<f32>(tables, 20);
  const sb = load<f32>(tables, 24);
  const sl = load<f32>(tables, 28);
  for (let n = 0; n < count; n++, rgba += 16) {
    const a = load<f32>(rgba, 12);
    let r = load<f32>(rgba);
    let g = load<f32>(rgba, 4);
    let b = load<f32>(rgba, 8);
    let gain: f32 = 1;
    if (a > 0) {
      gain = a;
      r = lightAt(red, entries, firstStep, shift, zr, sr, r / a);
      g = lightAt(green, entries, firstStep, shift, zg, sg, g / a);
      b = lightAt(blue, entries, firstStep, shift, zb, sb, b / a);
    } else {
      if (r == 0 && g == 0 && b == 0) continue;
      // What the grade adds to black is not added to a glow.
      r = lightAt(red, entries, firstStep, shift, zr, sr, r) - zr;
      g = lightAt(green, entries, firstStep, shift, zg, sg, g) - zg;
      b = lightAt(blue, entries, firstStep, shift, zb, sb, b) - zb;
    }
    if (saturation == 1 && !hasLuma) {
      store<f32>(rgba, r * gain);
      store<f32>(rgba, g * gain, 4);
      store<f32>(rgba, b * gain, 8);
      continue;
    }
    const y: f32 = <f32>0.2126 * r + <f32>0.7152 * g + <f32>0.0722 * b;
    if (hasLuma) gain *= lightAt(luma, entries, firstStep, shift, zl, sl, y);
    store<f32>(rgba, (y + saturation * (r - y)) * gain);
    store<f32>(rgba, (y + saturation * (g - y)) * gain, 4);
    store<f32>(rgba, (y + saturation * (b - y)) * gain, 8);
  }
}
