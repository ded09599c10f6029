import { BRASS, MARSH, OAK, SALT, STEEL, weathered } from '../artwork';
import { paintTexture, type Paint, type Texture } from '../card';
import type { Material } from './mesh';

/** Painted when they are first needed, once a process; half as fine as a card's, as each is repeated over many surfaces. */
const painted = new Map<number, Texture>();
function artwork(base: Paint, seed: number): Texture {
  let texture = painted.get(seed);
  if (texture === undefined) {
    texture = paintTexture(0, 0, 170, 170, (u, v) => weathered(base, u, v, seed, 1), 0.5);
    painted.set(seed, texture);
  }
  return texture;
}

type Surface = Omit<Material, 'texture'> & { readonly base: Paint; readonly seed: number };
function surface({ id, shine, gloss, base, seed }: Surface): Material {
  return {
    id,
    shine,
    gloss,
    get texture() {
      return artwork(base, seed);
    },
  };
}

export const BODY = surface({ id: 1, base: BRASS, seed: 701, shine: 0.5, gloss: 24 }),
  LIMB = surface({ id: 1, base: STEEL, seed: 702, shine: 0.4, gloss: 18 }),
  WOOD = surface({ id: 1, base: OAK, seed: 703, shine: 0, gloss: 1 }),
  CLOTH = surface({ id: 1, base: SALT, seed: 704, shine: 0.15, gloss: 12 }),
  REED = surface({ id: 1, base: MARSH, seed: 705, shine: 0.25, gloss: 20 }),
  GROUND = surface({ id: 2, base: MARSH, seed: 706, shine: 0, gloss: 1 }),
  WALL = surface({ id: 2, base: SALT, seed: 707, shine: 0, gloss: 1 });
