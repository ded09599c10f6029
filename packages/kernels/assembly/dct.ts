import { narrowFour, widenFour } from "./half";

// The lossy blocks of OpenEXR's DWA compression: run lengths of zeroes, an inverse 8 x 8 cosine transform, and for colour the
// way back from luma and differences with Rec.709 weights.

/** Row k: the orthonormal cosine of frequency k at the 8 places. */
const COSINES: StaticArray<f32> = [
  0.353553391, 0.353553391, 0.353553391, 0.353553391, 0.353553391, 0.353553391, 0.353553391, 0.353553391,
  0.49039264, 0.415734806, 0.277785117, 0.097545161, -0.097545161, -0.277785117, -0.415734806, -0.49039264,
  0.461939766, 0.191341716, -0.191341716, -0.461939766, -0.461939766, -0.191341716, 0.191341716, 0.461939766,
  0.415734806, -0.097545161, -0.49039264, -0.277785117, 0.277785117, 0.49039264, 0.097545161, -0.415734806,
  0.353553391, -0.353553391, -0.353553391, 0.353553391, 0.353553391, -0.353553391, -0.353553391, 0.353553391,
  0.277785117, -0.49039264, 0.097545161, 0.415734806, -0.415734806, -0.097545161, 0.49039264, -0.277785117,
  0.191341716, -0.461939766, 0.461939766, -0.191341716, -0.191341716, 0.461939766, -0.461939766, 0.191341716,
  0.097545161, -0.277785117, 0.415734806, -0.49039264, 0.49039264, -0.415734806, 0.277785117, -0.097545161,
];

/** Natural place (row by row) of the n-th coefficient in diagonal order. */
const DIAGONAL: StaticArray<u8> = [
  0, 1, 8, 16, 9, 2, 3, 10, 17, 24, 32, 25, 18, 11, 4, 5, 12, 19, 26, 33, 40, 48, 41, 34, 27, 20, 13, 6, 7, 14, 21, 28, 35, 42, 49, 56, 57, 50, 43, 36, 29, 22, 15, 23, 30, 37, 44, 51, 58, 59, 52, 45, 38, 31, 39, 46, 53, 60, 61, 54, 47, 55, 62, 63,
];

/** Bytes of scratch for `undoBlocks`. */
export function blockWorkBytes(): i32 {
  return 4 * 64 * 4;
}

/**
 * Blocks of 8 x 8 in rows. `ac` holds, block by block and in each component by component, halves in diagonal order: 0xff00 ends
 * a block, 0xffnn skips nn zeroes. `dc` holds one half a block, component by component. `out` gets one plane of halves a component,
 * still with the perceptual curve. With three components they are luma and two differences.
 * Returns how many values of `ac` were used, or -1 when it ends early.
 */
export function undoBlocks(ac: usize, acCount: i32, dc: usize, components: i32, width: i32, height: i32, out: usize, work: usize): i32 {
  const blocksX = (width + 7) >> 3;
  const blocksY = (height + 7) >> 3;
  const plane: usize = (<usize>width * <usize>height) << 1;
  const temporary = work + 3 * 256;
  const acEnd = ac + 2 * <usize>acCount;
  let at = ac;
  for (let by = 0; by < blocksY; by++) {
    for (let bx = 0; bx < blocksX; bx++) {
      for (let c = 0; c < components; c++) {
        const block = work + 256 * <usize>c;
        memory.fill(block, 0, 256);
        store<f32>(block, widenOne(load<u16>(dc + 2 * (<usize>c * <usize>(blocksX * blocksY) + <usize>(by * blocksX + bx)))));
        let place = 1;
        let last = 0;
        while (place < 64) {
          if (at >= acEnd) return -1;
          const value = <u32>load<u16>(at);
          at += 2;
          if (value == 0xff00) break;
          if (value >> 8 == 0xff) place += value & 255;
          else {
            last = place;
            store<f32>(block + 4 * <usize>unchecked(DIAGONAL[place]), widenOne(value));
            place++;
          }
        }
        if (last == 0) {
          const flat = f32x4.splat(load<f32>(block) * 0.125);
          for (let i: usize = 0; i < 256; i += 16) v128.store(block + i, flat);
        } else transform(block, temporary);
      }
      if (components == 3) toColour(work);
      const columns = min(8, width - bx * 8);
      const rows = min(8, height - by * 8);
      for (let c = 0; c < components; c++) {
        const block = work + 256 * <usize>c;
        let target = out + plane * <usize>c + 2 * (<usize>(by * 8) * <usize>width + <usize>(bx * 8));
        for (let y = 0; y < rows; y++, target += 2 * <usize>width) {
          const a = narrowFour(v128.load(block + 32 * <usize>y));
          const b = narrowFour(v128.load(block + 32 * <usize>y + 16));
          const halves = i16x8.narrow_i32x4_u(a, b);
          if (columns == 8) v128.store(target, halves);
          else {
            v128.store(temporary, halves);
            for (let x = 0; x < columns; x++) store<u16>(target + 2 * <usize>x, load<u16>(temporary + 2 * <usize>x));
          }
        }
      }
    }
  }
  return <i32>((at - ac) >> 1);
}

@inline
function widenOne(half: u32): f32 {
  return f32x4.extract_lane(widenFour(i32x4.splat(half)), 0);
}

/** In place, columns first. */
function transform(block: usize, temporary: usize): void {
  const cosines = changetype<usize>(COSINES);
  for (let y: usize = 0; y < 8; y++) {
    let left = f32x4.splat(0);
    let right = f32x4.splat(0);
    for (let k: usize = 0; k < 8; k++) {
      const weight = f32x4.splat(load<f32>(cosines + 32 * k + 4 * y));
      left = f32x4.add(left, f32x4.mul(weight, v128.load(block + 32 * k)));
      right = f32x4.add(right, f32x4.mul(weight, v128.load(block + 32 * k + 16)));
    }
    v128.store(temporary + 32 * y, left);
    v128.store(temporary + 32 * y + 16, right);
  }
  for (let y: usize = 0; y < 8; y++) {
    let left = f32x4.splat(0);
    let right = f32x4.splat(0);
    for (let k: usize = 0; k < 8; k++) {
      const weight = f32x4.splat(load<f32>(temporary + 32 * y + 4 * k));
      left = f32x4.add(left, f32x4.mul(weight, v128.load(cosines + 32 * k)));
      right = f32x4.add(right, f32x4.mul(weight, v128.load(cosines + 32 * k + 16)));
    }
    v128.store(block + 32 * y, left);
    v128.store(block + 32 * y + 16, right);
  }
}

function toColour(blocks: usize): void {
  for (let i: usize = 0; i < 256; i += 16) {
    const luma = v128.load(blocks + i);
    const blue = v128.load(blocks + 256 + i);
    const red = v128.load(blocks + 512 + i);
    v128.store(blocks + i, f32x4.add(luma, f32x4.mul(red, f32x4.splat(1.5747))));
    v128.store(
      blocks + 256 + i,
      f32x4.sub(f32x4.sub(luma, f32x4.mul(blue, f32x4.splat(0.1873))), f32x4.mul(red, f32x4.splat(0.4682))),
    );
    v128.store(blocks + 512 + i, f32x4.add(luma, f32x4.mul(blue, f32x4.splat(1.8556))));
  }
}
