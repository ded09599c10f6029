import { coarserNodes, type NodeEnds } from '../src/blur/paths/coarse-nodes';
import { ENDS } from '../src/blur/paths/path-study';

/** A node's vector to the next frame and its gradient; the one to the frame before leads the other way. */
type FlowAt = (x: number, y: number) => readonly [number, number, number, number, number, number];

function surface(across: number, down: number, flowAt: FlowAt, isOwn: (x: number, y: number) => boolean = () => true): NodeEnds {
  const nodes = { x0: -3.5, y0: 2, stepPx: 2, across, down },
    own = new Uint8Array(across * down),
    ends = new Float64Array(across * down * ENDS);
  for (let n = 0; n < own.length; n++) {
    const x = nodes.x0 + 2 * (n % across),
      y = nodes.y0 + 2 * Math.floor(n / across);
    own[n] = isOwn(x, y) ? 1 : 0;
    const flow = flowAt(x, y);
    ends.set(flow, n * ENDS);
    ends.set(
      flow.map((v) => -v),
      n * ENDS + ENDS / 2,
    );
  }
  return { nodes, own, steady: own.map((isOwnNode, n) => (isOwnNode === 1 && n % 7 !== 0 ? 1 : 0)), ends };
}

/** Waves of 300 px: between nodes 4 px apart a blend misses them by less than 0.001 px of 12. */
const smooth: FlowAt = (x, y) => [12 * Math.sin(x / 300), 0.01 * y, 0.04 * Math.cos(x / 300), 0, 0, 0.01];

test('of a large smooth surface every second node stays, with what it has, in its place', () => {
  const fine = surface(401, 301, smooth),
    { nodes, own, steady, ends } = coarserNodes(fine);
  expect(nodes).toEqual({ x0: -3.5, y0: 2, stepPx: 4, across: 201, down: 151 });
  for (const [nx, ny] of [
    [0, 0],
    [200, 150],
    [33, 78],
    [34, 79],
  ]) {
    const n = ny * 201 + nx,
      from = 2 * ny * 401 + 2 * nx;
    expect([own[n], steady[n]]).toEqual([fine.own[from], fine.steady[from]]);
    expect(ends.subarray(n * ENDS, (n + 1) * ENDS)).toEqual(fine.ends.subarray(from * ENDS, (from + 1) * ENDS));
  }
});

const wholeNumbers = (x: number) => Math.floor((x + 3.5) / 2);
test.each([
  ['is small', surface(301, 301, smooth)],
  ['moves otherwise from node to node', surface(401, 301, (x) => [wholeNumbers(x) % 4 === 1 ? 0.3 : 0, 0, 0, 0, 0, 0])],
  ['is seen nowhere', surface(401, 301, smooth, () => false)],
  // Threads a node wide, on odd nodes: what stays tells nothing of them.
  ['is threads', surface(401, 301, smooth, (x) => wholeNumbers(x) % 8 === 1)],
])('a surface that %s keeps all of its nodes', (_, fine) => {
  expect(coarserNodes(fine)).toBe(fine);
});

test('at a rim, what is left out is told by the gradient of what stays', () => {
  const turning: FlowAt = (x, y) => [-0.3 * y, 0.3 * x, 0, -0.3, 0.3, 0];
  const fine = surface(401, 301, turning, (x, y) => (x * 7 + y * 3) % 97 < 40);
  expect(coarserNodes(fine).nodes.stepPx).toBe(4);
  const withoutGradient = surface(
    401,
    301,
    (x, y) => [...turning(x, y).slice(0, 2), 0, 0, 0, 0] as never,
    (x, y) => (x * 7 + y * 3) % 97 < 40,
  );
  expect(coarserNodes(withoutGradient)).toBe(withoutGradient);
});
