import { readFileSync } from 'node:fs';
import { instantiateKernels } from '@ivrex/kernels';
import { DetectionCases } from '../src/detection/measure-detection';

/** Random passes of random scenes, one of each of the test's seeds, and what was detected. Run by plain Node; prints JSON. */
const SCENES = 11,
  OF_SCENE = [0, 1, 2, 3];

export interface DetectionOutcome {
  readonly seed: number;
  readonly kind: string;
  readonly damage: string;
  readonly confidence: number;
  readonly right: boolean;
  readonly wrongWarnings: readonly string[];
  readonly found: string;
}

const kernels = await instantiateKernels(await WebAssembly.compile(readFileSync('packages/kernels/build/kernels.wasm')));
const cases = new DetectionCases({ width: 400, height: 224 }, kernels);
const outcomes = Array.from({ length: SCENES }, (_, scene) => OF_SCENE.map((n) => (100 + scene) * 6 + n))
  .flat()
  .map((seed): DetectionOutcome => {
    const { kind, damage, found, right, wrongWarnings } = cases.run(seed);
    return { seed, kind, damage, confidence: found.confidence, right, wrongWarnings, found: found.encoding.name };
  });
process.stdout.write(JSON.stringify(outcomes));
