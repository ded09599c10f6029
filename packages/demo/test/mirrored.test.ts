import { runOutside } from './run-outside';

interface Row {
  readonly surface: string;
  readonly mirrored: string;
  readonly shutter: string;
  readonly whole: number;
  readonly apart: number;
  readonly withDepth: number;
}

/** Masked PSNR that must hold, in dB, about 1 dB below what is measured; by surface: 180 degrees centred, 360 degrees from the frame on. */
const GOALS: Readonly<Record<string, readonly [number, number]>> = { dolly: [42.5, 42.6] };

test('a surface that mirrors another scene: blurred apart it is near the truth, and the depth of the surface does not smooth what is mirrored', () => {
  const rows = runOutside<Row[]>('mirrored-run.ts');
  expect(rows).toHaveLength(2);
  for (const { surface, mirrored, shutter, whole, apart, withDepth } of rows) {
    process.stdout.write(
      `${surface} mirrors ${mirrored} under ${shutter}: ${whole.toFixed(1)} dB as a whole, ${apart.toFixed(1)} apart, ${withDepth.toFixed(1)} with the surface's depth\n`,
    );
    const isHalf = shutter === '180 centred';
    expect(apart).toBeGreaterThan(GOALS[surface][isHalf ? 0 : 1]);
    expect(apart).toBeGreaterThan(withDepth + (isHalf ? 0.1 : 1));
  }
}, 600000);
