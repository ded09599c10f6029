/** A point or direction: x right, y down, z away from the viewer. */
export type Vector = readonly [x: number, y: number, z: number];

/** Turned and moved: the three columns of the turn, then where the origin goes. Never scaled, so that its inverse is its transpose. */
export type Placement = readonly [x: Vector, y: Vector, z: Vector, origin: Vector];

export const HERE: Placement = [
  [1, 0, 0],
  [0, 1, 0],
  [0, 0, 1],
  [0, 0, 0],
];

export function placed(p: Placement, v: Vector): Vector {
  const [x, y, z] = turned(p, v);
  return [x + p[3][0], y + p[3][1], z + p[3][2]];
}

export function turned([a, b, c]: Placement, [x, y, z]: Vector): Vector {
  return [a[0] * x + b[0] * y + c[0] * z, a[1] * x + b[1] * y + c[1] * z, a[2] * x + b[2] * y + c[2] * z];
}

/** The placements one inside the other: the last one is done first. */
export function chain(...places: readonly Placement[]): Placement {
  return places.reduce((outer, inner) => [
    turned(outer, inner[0]),
    turned(outer, inner[1]),
    turned(outer, inner[2]),
    placed(outer, inner[3]),
  ]);
}

export function inverse([a, b, c, origin]: Placement): Placement {
  const back: Placement = [
    [a[0], b[0], c[0]],
    [a[1], b[1], c[1]],
    [a[2], b[2], c[2]],
    [0, 0, 0],
  ];
  const [x, y, z] = turned(back, origin);
  return [back[0], back[1], back[2], [-x, -y, -z]];
}

export function moved(x: number, y: number, z: number): Placement {
  return [HERE[0], HERE[1], HERE[2], [x, y, z]];
}

/** Turned about one axis, radians; from the first of the other two axes towards the second, in the order x, y, z, x. */
export function turnedAbout(axis: 'x' | 'y' | 'z', angle: number): Placement {
  const c = Math.cos(angle),
    s = Math.sin(angle);
  switch (axis) {
    case 'x':
      return [
        [1, 0, 0],
        [0, c, s],
        [0, -s, c],
        [0, 0, 0],
      ];
    case 'y':
      return [
        [c, 0, -s],
        [0, 1, 0],
        [s, 0, c],
        [0, 0, 0],
      ];
    case 'z':
      return [
        [c, s, 0],
        [-s, c, 0],
        [0, 0, 1],
        [0, 0, 0],
      ];
  }
}
