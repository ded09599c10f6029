/** A lens: how far from sharp things at each depth are. */
export interface Lens {
  /** Depth that is sharp, in the depth pass's units along the view. */
  readonly focus: number;
  /** Radius of the blur of what is infinitely far, pixels. */
  readonly farPx: number;
  /** The same of what is at half the focus depth: 0 keeps what is near sharp. */
  readonly nearPx: number;
  /** No blur is larger, pixels. */
  readonly mostPx: number;
  readonly aperture: Aperture;
}

/** `blades` 0 is a round one; else a regular polygon of 5 to 9 corners, turned by an angle. */
export interface Aperture {
  readonly blades: number;
  readonly turnDeg: number;
}

/**
 * Radius in pixels of the disc that a point at this depth becomes: proportional to |1 - focus / depth|, as a thin lens draws it (the circle of
 * confusion is A f |d - s| / (d (s - f))). A depth that is no number or not in front of the lens is taken as infinitely far.
 */
export function blurRadius({ focus, farPx, nearPx, mostPx }: Lens, depth: number): number {
  const away = depth > 0 && depth < Infinity ? 1 - focus / depth : 1;
  return Math.min(mostPx, away >= 0 ? farPx * away : -nearPx * away);
}

/** Places that an aperture of a radius up to `mostPx` lets light to. */
export interface ApertureTable {
  readonly dx: Int16Array;
  readonly dy: Int16Array;
  /** By place: the radius from which on it is reached; rising. */
  readonly from: Float32Array;
  /** Weights' sum by radius, in steps of RADIUS_STEP. */
  readonly area: Float32Array;
}

export const RADIUS_STEP = 0.125;

/** A draft looks at no more places than this. */
const DRAFT_PLACES = 90;

/** `quality` draft thins the places evenly and sums up what is left, so that a surface keeps its light. */
export function apertureTable({ blades, turnDeg }: Aperture, mostPx: number, quality: 'draft' | 'final'): ApertureTable {
  const reach = Math.ceil(mostPx + 1);
  const all: { dx: number; dy: number; from: number }[] = [];
  for (let dy = -reach; dy <= reach; dy++)
    for (let dx = -reach; dx <= reach; dx++) {
      const from = Math.hypot(dx, dy) / outline(blades, Math.atan2(dy, dx) - (turnDeg * Math.PI) / 180);
      if (from < mostPx + 0.5) all.push({ dx, dy, from });
    }
  const every = quality === 'final' ? 1 : Math.max(1, all.length / DRAFT_PLACES);
  all.sort((a, b) => a.from - b.from || a.dy - b.dy || a.dx - b.dx);
  // The middle always counts, else what is sharp would vanish.
  const kept = all.filter((_, n) => n === 0 || Math.floor(n / every) !== Math.floor((n - 1) / every));
  const from = Float32Array.from(kept, (p) => p.from);
  const area = Float32Array.from({ length: Math.ceil(mostPx / RADIUS_STEP) + 2 }, (_, k) => {
    let sum = 0;
    for (const radius of from) sum += reached(k * RADIUS_STEP, radius);
    return sum;
  });
  return { dx: Int16Array.from(kept, (p) => p.dx), dy: Int16Array.from(kept, (p) => p.dy), from, area };
}

/** Distance from the middle to the rim at an angle, for a rim whose area is that of the unit disc. */
function outline(blades: number, angle: number): number {
  if (blades < 3) return 1;
  const part = (2 * Math.PI) / blades,
    into = ((((angle + Math.PI / 2) % part) + part) % part) - part / 2;
  const apothem = Math.sqrt(Math.PI / (blades * Math.tan(part / 2)));
  return apothem / Math.cos(into);
}

/** The share of a pixel at `from` that an aperture of this radius covers. The middle pixel is always reached. */
export function reached(radius: number, from: number): number {
  return from === 0 ? 1 : Math.min(1, Math.max(0, radius - from + 0.5));
}
