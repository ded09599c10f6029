/**
 * For every pixel the index of a (nearly) nearest pixel of `member`: two passes of offset propagation
 * (Danielsson 1980, 8 neighbours). Errors are a fraction of a pixel in distance. -1 when there is no member.
 */
export function nearestMember(member: Uint8Array, width: number, height: number): Int32Array {
  const nearest = new Int32Array(width * height).fill(-1);
  // Offsets to the nearest member found so far, so that a distance costs no division.
  const offX = new Int16Array(width * height),
    offY = new Int16Array(width * height);
  for (let i = 0; i < nearest.length; i++) if (member[i] !== 0) nearest[i] = i;
  /** Offers pixel i what pixel `from` has, which lies (dx, dy) away from it. */
  const offer = (i: number, from: number, dx: number, dy: number): void => {
    const candidate = nearest[from];
    if (candidate < 0) return;
    const x = offX[from] + dx,
      y = offY[from] + dy;
    if (nearest[i] >= 0 && x * x + y * y >= offX[i] * offX[i] + offY[i] * offY[i]) return;
    nearest[i] = candidate;
    offX[i] = x;
    offY[i] = y;
  };
  for (const direction of [1, -1]) {
    for (let row = 0, y = direction === 1 ? 0 : height - 1; row < height; row++, y += direction) {
      const start = y * width,
        behind = start - direction * width;
      if (row > 0) {
        for (let x = 0; x < width; x++) {
          const i = start + x,
            from = behind + x;
          if (member[i] !== 0) continue;
          offer(i, from, 0, -direction);
          if (x > 0) offer(i, from - 1, -1, -direction);
          if (x + 1 < width) offer(i, from + 1, 1, -direction);
        }
      }
      for (let i = start + 1; i < start + width; i++) if (member[i] === 0) offer(i, i - 1, -1, 0);
      for (let i = start + width - 2; i >= start; i--) if (member[i] === 0) offer(i, i + 1, 1, 0);
    }
  }
  return nearest;
}
