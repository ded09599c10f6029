/** Darkening towards the corners. */
export interface Vignette {
  /** How much light the corners lose, 0 to 1. */
  readonly amount: number;
  /** From where on, in half diagonals from the middle. */
  readonly radius: number;
  /** Over what distance it sets in, half diagonals. */
  readonly softness: number;
}

/** What a pixel's light is multiplied by. */
export function vignetteAt({ amount, radius, softness }: Vignette, x: number, y: number, width: number, height: number): number {
  const far = (2 * Math.hypot(x + 0.5 - width / 2, y + 0.5 - height / 2)) / Math.hypot(width, height);
  const u = Math.min(1, Math.max(0, (far - radius) / Math.max(1e-6, softness)));
  return 1 - amount * u * u * (3 - 2 * u);
}
