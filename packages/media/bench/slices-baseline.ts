import { execFileSync } from 'node:child_process';
import { mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { sliceTimes, type BlurPlan, type Shutter } from '@ivrex/core';

/** A plan's slices by the C++ inner loop, one thread: the least CPU seconds of some runs, and the picture. */
export function plainSlices(plan: BlurPlan, shutter: Shutter, slices: number, runs: number): { seconds: number; picture: Float32Array } {
  const root = process.cwd(),
    scratch = path.join(root, '.cache/bench'),
    program = path.join(scratch, 'slices-baseline'),
    problem = path.join(scratch, 'slices.problem'),
    picture = path.join(scratch, 'slices.out');
  mkdirSync(scratch, { recursive: true });
  execFileSync('g++', ['-O3', '-march=x86-64-v3', '-o', program, path.join(root, 'packages/media/bench/slices-baseline.cpp')]);
  const { times, weights } = sliceTimes(shutter, slices);
  const parts: (Int32Array | Float32Array)[] = [Int32Array.of(plan.width, plan.height, plan.layers.length, slices, runs), times, weights];
  for (const { colourBox: b, colour, path: p } of plan.layers)
    parts.push(
      Int32Array.of(b.x0, b.y0, b.width, b.height),
      colour,
      Float32Array.of(p.x0, p.y0, p.stepPx),
      Int32Array.of(p.across, p.down, p.orders, p.isOneFlow ? 1 : 0),
      p.nodes,
    );
  writeFileSync(problem, Buffer.concat(parts.map((v) => Buffer.from(v.buffer as ArrayBuffer, v.byteOffset, v.byteLength))));
  const seconds = Number(execFileSync(program, [problem, picture], { encoding: 'utf8' }));
  return { seconds, picture: new Float32Array(readFileSync(picture).buffer) };
}
