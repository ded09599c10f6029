import { runOutside } from './run-outside';

interface Row {
  readonly scene: string;
  readonly shutter: string;
  readonly samples: number;
  /** Size of the noise, over that of a mean of as many independent pixels as the streak is long. */
  readonly noise: number;
  /** Size of the noise's mean over five frames, over its size in one; null where no pixel moves in all five. */
  readonly kept: number | null;
}

let rows: readonly Row[] = [];
beforeAll(() => {
  rows = runOutside<Row[]>('noise-run.ts');
}, 600000);

test('all scenes were measured under both shutters with 16 and 64 samples a pixel', () => {
  expect(rows).toHaveLength(4 * 2 * 2);
  expect(rows.filter(({ kept }) => kept !== null).length).toBeGreaterThanOrEqual(8);
});

test('the noise of few samples is averaged along streaks as far as their length explains', () => {
  for (const { scene, shutter, samples, noise } of rows)
    if (!(noise < 1.05)) throw new Error(`${scene}, ${shutter}, ${samples} samples: ${noise.toFixed(3)} times what is explained`);
});

test('the noise does not crawl: what it leaves in five frames is hardly more alike than their sharp pictures', () => {
  // Five independent frames would leave 0.45; each one's blur has half of its neighbour's noise too.
  for (const { scene, shutter, samples, kept } of rows)
    if (kept !== null && !(kept < 0.55))
      throw new Error(`${scene}, ${shutter}, ${samples} samples: ${kept.toFixed(3)} is kept over five frames`);
});
