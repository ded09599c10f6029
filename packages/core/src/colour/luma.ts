/** Weights of scene-linear red, green and blue in what the eye takes for brightness (ITU-R BT.709, 3.2). */
export const LUMA = [0.2126, 0.7152, 0.0722] as const;

export function lumaOf(red: number, green: number, blue: number): number {
  return LUMA[0] * red + LUMA[1] * green + LUMA[2] * blue;
}

/** That of pixel `i` of interleaved RGBA. */
export function lumaAt(rgba: ArrayLike<number>, i: number): number {
  return LUMA[0] * rgba[i * 4] + LUMA[1] * rgba[i * 4 + 1] + LUMA[2] * rgba[i * 4 + 2];
}
