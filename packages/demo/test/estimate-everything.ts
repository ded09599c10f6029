import { estimateMotion } from '@ivrex/core';
import { renderGlassFloat } from '../src';
import { makeWheels } from '../src/wheels';
import { renderSharp } from '../src/render-cards';

/** Estimated motion of demo frames against the truth; prints JSON. */
export interface EstimateResult {
  readonly name: string;
  /** Endpoint errors, pixels, of covered pixels whose true motion is 40 px or less. */
  readonly median: number;
  /** The same where the trust is above 0.8, in the median and for 95 of 100. */
  readonly trusted: { readonly share: number; readonly median: number; readonly p95: number };
  /** Where the trust is 0. */
  readonly untrustedMedian: number;
}

const SIZE = { width: 960, height: 540 },
  FASTEST_PX = 40;

interface Truth {
  readonly rgba: Float32Array;
  readonly motion: Float32Array;
}

function result(name: string, frames: readonly Truth[]): EstimateResult {
  const [previous, now, next] = frames;
  const coverage = Float32Array.from({ length: now.rgba.length / 4 }, (_, i) => now.rgba[i * 4 + 3]);
  const { field, trust } = estimateMotion({ ...SIZE, now: now.rgba, next: next.rgba, previous: previous.rgba }, coverage);
  const all: number[] = [],
    trusted: number[] = [],
    untrusted: number[] = [];
  for (let i = 0; i < coverage.length; i++) {
    const [x, y] = [now.motion[i * 4], now.motion[i * 4 + 1]];
    if (coverage[i] < 0.9 || Math.hypot(x, y) > FASTEST_PX) continue;
    const error = Math.hypot(field.toNext[i * 2] - x, field.toNext[i * 2 + 1] - y);
    all.push(error);
    if (trust[i] > 0.8) trusted.push(error);
    if (trust[i] === 0) untrusted.push(error);
  }
  const at = (values: number[], share: number) => values.sort((a, b) => a - b)[Math.floor(share * (values.length - 1))];
  return {
    name,
    median: at(all, 0.5),
    trusted: { share: trusted.length / all.length, median: at(trusted, 0.5), p95: at(trusted, 0.95) },
    untrustedMedian: at(untrusted, 0.5),
  };
}

const wheels = makeWheels();
const results: EstimateResult[] = [
  result(
    'glass float',
    [8, 9, 10].map((t) => renderGlassFloat(t, SIZE, 8)),
  ),
  result(
    'wheel room',
    [4, 5, 6].map((t) => renderSharp(wheels, t, SIZE, 8)),
  ),
];
process.stdout.write(JSON.stringify(results));
