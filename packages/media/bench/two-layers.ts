import { emptyMotionField, type BlurFramePasses, type BlurInput } from '@ivrex/core';

/** Everything covered, everything moving: a wheel that turns and rushes by in front of a panning wall, seen at `t` frames. */
export function frameAt(width: number, height: number, t: number): BlurFramePasses {
  const count = width * height,
    k = width / 1920;
  const rgba = new Float32Array(count * 4),
    depth = new Float32Array(count),
    ids = new Float32Array(count),
    motion = emptyMotionField(width, height, true);
  const radius = 330 * k,
    turn = 0.09,
    speed = { x: 26 * k, y: -7 * k },
    pan = { x: -18 * k, y: 3 * k };
  const cx = width / 2 + speed.x * t,
    cy = height / 2 + speed.y * t;
  motion.valid.fill(1);
  for (let y = 0; y < height; y++) {
    for (let x = 0; x < width; x++) {
      const i = y * width + x,
        dx = x + 0.5 - cx,
        dy = y + 0.5 - cy;
      const isWheel = dx * dx + dy * dy < radius * radius;
      ids[i] = isWheel ? 1 : 2;
      depth[i] = isWheel ? 4 : 10;
      if (isWheel) {
        const u = Math.cos(turn * t) * dx + Math.sin(turn * t) * dy,
          v = Math.cos(turn * t) * dy - Math.sin(turn * t) * dx;
        paint(rgba, i, u / k, v / k, 0.9, 0.6, 0.3);
      } else paint(rgba, i, (x - pan.x * t) / k, (y - pan.y * t) / k, 0.4, 0.5, 0.55);
      for (const [vectors, dt] of [
        [motion.toNext, 1],
        [motion.toPrevious, -1],
      ] as const) {
        const c = Math.cos(turn * dt),
          s = Math.sin(turn * dt);
        vectors[i * 2] = isWheel ? c * dx - s * dy - dx + speed.x * dt : pan.x * dt;
        vectors[i * 2 + 1] = isWheel ? s * dx + c * dy - dy + speed.y * dt : pan.y * dt;
      }
    }
  }
  return { rgba, motion, depth, ids };
}

function paint(rgba: Float32Array, i: number, u: number, v: number, r: number, g: number, b: number): void {
  const light = 0.55 + 0.25 * Math.sin(u * 0.21) * Math.cos(v * 0.17) + 0.2 * Math.sin((u + v) * 0.6);
  rgba[i * 4] = r * light;
  rgba[i * 4 + 1] = g * light;
  rgba[i * 4 + 2] = b * light;
  rgba[i * 4 + 3] = 1;
}

/** The frame with both its neighbours. */
export function twoLayers(width: number, height: number): Omit<BlurInput, 'path' | 'reachFrames'> {
  return { width, height, ...frameAt(width, height, 0), previous: frameAt(width, height, -1), next: frameAt(width, height, 1) };
}
