import { toCard, toScreen, type Pose } from '../src/card';
import { makeHeron } from '../src/heron';
import { renderBlurred, renderSharp } from '../src/render-cards';
import { demoFiles, renderSaltSpray, sizeOfWidth } from '../src';
import { changedSince, DEMO_VERSION } from '../src/tidal-clock';

/** As the test production has it. */
const SIZE = sizeOfWidth(480),
  heron = makeHeron(SIZE.scale);

test('a bent card goes to the screen and back', () => {
  const uv = new Float64Array(2);
  for (const curvature of [0, 0.006, -0.0085, 1e-7]) {
    const pose: Pose = { x: 300, y: 200, angle: -1.9, curvature };
    for (const [u, v] of [
      [0, 0],
      [170, 40],
      [90, -16],
      [-4, 10],
    ]) {
      toCard(pose, ...toScreen(pose, u, v), uv);
      expect(uv[0]).toBeCloseTo(u, 4);
      expect(uv[1]).toBeCloseTo(v, 4);
    }
  }
});

test("the motion pass says where each pixel goes: the card's point under it, one frame on and one back", () => {
  const t = 11,
    passes = renderSharp(heron, t, SIZE, 4),
    uv = new Float64Array(2);
  let checked = 0;
  for (let i = 0; i < SIZE.width * SIZE.height; i += 37) {
    const card = heron.find((c) => c.id === passes.ids[i]);
    if (card === undefined) continue;
    const x = (i % SIZE.width) + 0.5,
      y = Math.floor(i / SIZE.width) + 0.5;
    toCard(card.pose(t), x, y, uv);
    const next = toScreen(card.pose(t + 1), uv[0], uv[1]),
      previous = toScreen(card.pose(t - 1), uv[0], uv[1]);
    [next[0] - x, next[1] - y, previous[0] - x, previous[1] - y].forEach((v, k) => expect(passes.motion[i * 4 + k]).toBeCloseTo(v, 3));
    expect(passes.depth[i]).toBeCloseTo(card.depth, 5);
    checked++;
  }
  expect(checked).toBeGreaterThan(60);
});

test('a true blur with the shutter shut is the sharp picture, and a blur keeps the light', () => {
  const sharp = renderSharp(heron, 11, SIZE, 8).rgba,
    shut = renderBlurred(heron, 11, 0, 0, SIZE, 4, 2),
    open = renderBlurred(heron, 11, -0.25, 0.25, SIZE, 10, 1);
  const sum = (p: Float32Array) => p.reduce((a, b) => a + b, 0);
  let worst = 0;
  sharp.forEach((v, i) => {
    worst = Math.max(worst, Math.abs(v - shut[i]));
  });
  expect(worst).toBeLessThan(1e-5);
  expect(Math.abs(sum(open) / sum(sharp) - 1)).toBeLessThan(0.03);
});

test('the same frame is the same picture every time', () => {
  const once = renderSharp(heron, 5, SIZE, 2),
    again = renderSharp(heron, 5, SIZE, 2);
  for (const pass of ['rgba', 'motion', 'depth', 'ids'] as const)
    expect(Buffer.from(once[pass].buffer).equals(Buffer.from(again[pass].buffer))).toBe(true);
});

test('the heron comes first, so that the shot can be opened soonest', () => {
  const files = demoFiles();
  expect(files).toHaveLength(376);
  expect(files.slice(0, 24).every((f) => f.kind === 'heron')).toBe(true);
  expect(new Set(files.map((f) => f.file)).size).toBe(376);
});

test('what an earlier version made differently is made anew, the rest stays', () => {
  expect(changedSince(DEMO_VERSION)).toEqual([]);
  const changed = changedSince(1);
  expect(new Set(changed.map((f) => f.kind))).toEqual(new Set(['plate', 'still', 'float']));
  expect(changed.some((f) => f.shot === 'TC_020')).toBe(false);
});

test('salt spray: what covers a pixel is found where its vector leads', () => {
  const size = SIZE;
  const [now, next] = [renderSaltSpray(4, size), renderSaltSpray(5, size)];
  let moving = 0,
    found = 0;
  for (let i = 0; i < size.width * size.height; i += 3) {
    const x = Math.round((i % size.width) + now.motion[i * 4]),
      y = Math.round(Math.floor(i / size.width) + now.motion[i * 4 + 1]);
    if (now.rgba[i * 4 + 3] < 0.8 || x < 0 || y < 0 || x >= size.width || y >= size.height) continue;
    moving++;
    if (next.rgba[(y * size.width + x) * 4 + 3] > 0.3) found++;
  }
  expect(moving).toBeGreaterThan(750);
  // Rims are met beside by rounding, and some drops are gone.
  expect(found / moving).toBeGreaterThan(0.93);
});
