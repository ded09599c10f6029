import type { Texture } from '../card';
import { placed, type Placement, type Vector } from './placement';

/** What a surface looks like, and which object it belongs to. */
export interface Material {
  readonly id: number;
  /** Painted once and repeated, one unit of artwork a unit of the mesh's u and v. */
  readonly texture: Texture;
  /** Light that it throws back like a mirror, 0..1, and how narrow that is. */
  readonly shine: number;
  readonly gloss: number;
}

/** Triangles at one moment. A scene makes the same ones in the same order at every moment: what belongs to a point is known by its number. */
export interface Mesh {
  /** x, y, z a point. */
  readonly points: number[];
  /** u, v a point. */
  readonly uvs: number[];
  /** Three points a triangle. */
  readonly corners: number[];
  /** A triangle's. */
  readonly materials: Material[];
}

export function emptyMesh(): Mesh {
  return { points: [], uvs: [], corners: [], materials: [] };
}

/** A grid of `columns` x `rows` patches. `at` says where the place across and down (0..1) is; `width` and `height` are its artwork's. */
export function addSheet(
  mesh: Mesh,
  material: Material,
  columns: number,
  rows: number,
  width: number,
  height: number,
  at: (across: number, down: number) => Vector,
): void {
  const base = mesh.uvs.length / 2,
    stride = columns + 1;
  for (let j = 0; j <= rows; j++)
    for (let i = 0; i <= columns; i++) {
      mesh.points.push(...at(i / columns, j / rows));
      mesh.uvs.push((i / columns) * width, (j / rows) * height);
    }
  for (let j = 0; j < rows; j++)
    for (let i = 0; i < columns; i++) {
      const p = base + j * stride + i;
      mesh.corners.push(p, p + 1, p + stride, p + stride, p + 1, p + stride + 1);
      mesh.materials.push(material, material);
    }
}

/** A body turned about its y axis: `profile` is radius and height, one after the other. `perUnit` is artwork a unit of length. */
export function addTurned(
  mesh: Mesh,
  material: Material,
  place: Placement,
  profile: readonly (readonly [radius: number, y: number])[],
  sides: number,
  perUnit: number,
): void {
  const widest = Math.max(...profile.map(([radius]) => radius)),
    along = profile.slice(1).reduce((sum, [r, y], i) => sum + Math.hypot(r - profile[i][0], y - profile[i][1]), 0);
  const rows = profile.length - 1;
  addSheet(mesh, material, sides, rows, 2 * Math.PI * widest * perUnit, along * perUnit, (across, down) => {
    const [radius, y] = profile[Math.round(down * rows)],
      angle = 2 * Math.PI * across;
    return placed(place, [radius * Math.cos(angle), y, radius * Math.sin(angle)]);
  });
}

/** A box of half sizes x, y, z. */
export function addBlock(mesh: Mesh, material: Material, place: Placement, [x, y, z]: Vector, perUnit: number, parts = 3): void {
  const face = (w: number, h: number, at: (a: number, b: number) => Vector) =>
    addSheet(mesh, material, parts, parts, 2 * w * perUnit, 2 * h * perUnit, (a, b) => placed(place, at((2 * a - 1) * w, (2 * b - 1) * h)));
  for (const side of [-1, 1]) {
    face(x, y, (a, b) => [a, b, side * z]);
    face(z, y, (a, b) => [side * x, b, a]);
    face(x, z, (a, b) => [a, side * y, b]);
  }
}

/** Half a circle as a profile, from top to bottom. */
export function ballProfile(radius: number, rows = 12): (readonly [number, number])[] {
  return Array.from({ length: rows + 1 }, (_, i) => {
    const angle = (Math.PI * i) / rows;
    return [radius * Math.sin(angle), -radius * Math.cos(angle)] as const;
  });
}

/** A limb with round ends, from its joint down. */
export function limbProfile(top: number, bottom: number, length: number): (readonly [number, number])[] {
  const rows = 5;
  const cap = (radius: number, y: number, from: number) =>
    Array.from({ length: rows }, (_, i) => {
      const angle = from + ((Math.PI / 2) * i) / (rows - 1);
      return [Math.max(0, radius * Math.sin(angle)), y - radius * Math.cos(angle)] as const;
    });
  return [...cap(top, 0, 0), ...cap(bottom, length, Math.PI / 2)];
}
