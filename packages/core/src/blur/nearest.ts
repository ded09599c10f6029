/**
 * For every pixel the index of a (nearly) nearest pixel of `member`: two passes of offset propagation
 * (Danielsson 1980, 8 neighbours). Errors are a fraction of a pixel in distance. -1 when there is no member.
 */
export function nearestMember(member: Uint8Array, width: number, height: number): Int32Array {
  const nearest = new Int32Array(width * height).fill(-1);
  for (let i = 0; i < nearest.length; i++) if (member[i] !== 0) nearest[i] = i;
  sweep(nearest, width, height, 1);
  sweep(nearest, width, height, -1);
  return nearest;
}

function sweep(nearest: Int32Array, width: number, height: number, direction: 1 | -1): void {
  const startY = direction === 1 ? 0 : height - 1,
    startX = direction === 1 ? 0 : width - 1;
  for (let row = 0, y = startY; row < height; row++, y += direction) {
    const behind = y - direction;
    for (let column = 0, x = startX; column < width; column++, x += direction) {
      if (behind >= 0 && behind < height) {
        for (let dx = -1; dx <= 1; dx++) if (x + dx >= 0 && x + dx < width) offer(nearest, width, x, y, behind * width + x + dx);
      }
      const before = x - direction;
      if (before >= 0 && before < width) offer(nearest, width, x, y, y * width + before);
    }
    // Back along the same row, so that offsets reach both ways.
    for (let column = 1, x = startX + direction * (width - 2); column < width; column++, x -= direction)
      offer(nearest, width, x, y, y * width + x + direction);
  }
}

function offer(nearest: Int32Array, width: number, x: number, y: number, from: number): void {
  const candidate = nearest[from];
  if (candidate < 0) return;
  const i = y * width + x;
  const current = nearest[i];
  if (current < 0 || distance(candidate, width, x, y) < distance(current, width, x, y)) nearest[i] = candidate;
}

function distance(index: number, width: number, x: number, y: number): number {
  const dx = (index % width) - x,
    dy = Math.floor(index / width) - y;
  return dx * dx + dy * dy;
}
