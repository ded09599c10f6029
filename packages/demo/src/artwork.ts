import { shade, type Paint } from './card';
import { fractalNoise, step, valueNoise } from './noise';

export const BRASS: Paint = [0.95, 0.7, 0.3, 1];
export const STEEL: Paint = [0.66, 0.74, 0.82, 1];
export const OAK: Paint = [0.85, 0.62, 0.4, 1];
export const MARSH: Paint = [0.62, 0.78, 0.48, 1];
export const SALT: Paint = [0.85, 0.84, 0.8, 1];
export const GLASS: Paint = [0.55, 0.95, 0.9, 1];

/** Wood, mud or metal under hard light: broad patches, fine grain and hard lines, so that every kind of blur error shows. */
export function weathered(base: Paint, u: number, v: number, seed: number, alpha: number): Paint {
  const broad = step(0.36, 0.62, fractalNoise(u * 0.045, v * 0.045, seed, 3)),
    grain = valueNoise(u * 0.33, v * 0.24, seed + 7);
  const board = Math.abs((((v + 4 * valueNoise(u * 0.02, 0, seed + 9)) / 19) % 1) - 0.5) > 0.43 ? 0.3 : 1,
    nail = Math.hypot(((((u / 31) % 1) + 1) % 1) - 0.5, ((((v / 19) % 1) + 1) % 1) - 0.25) < 0.1 ? 1.8 : 1;
  return shade(base, Math.max(0.02, 0.16 + 0.95 * broad + 0.55 * (grain - 0.5)) * board * nail, alpha);
}
