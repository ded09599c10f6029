import { runOutside } from './run-outside';

interface Row {
  readonly path: string;
  readonly frame: number;
  readonly rank: number;
  readonly found: number;
  readonly marked: number;
  readonly expected: number;
  readonly error: number;
  readonly pathShare: number;
}

let rows: readonly Row[] = [];
beforeAll(() => {
  rows = runOutside<Row[]>('trust-run.ts');
}, 600000);

test('TC_010: the trust map predicts the true error, and the worst of it lies where it is marked', () => {
  const auto = rows.filter((row) => row.path === 'auto');
  expect(auto).toHaveLength(5);
  for (const { frame, rank, found, marked, expected, error } of auto) {
    process.stdout.write(
      `${frame}: rank correlation ${rank.toFixed(2)}, ${(100 * found).toFixed(0)} % of the worst 5 % in the ${(100 * marked).toFixed(0)} % marked, expected ${expected.toFixed(4)}, true ${error.toFixed(4)}\n`,
    );
    expect(rank).toBeGreaterThanOrEqual(0.6);
    expect(found).toBeGreaterThanOrEqual(0.8);
    // Marking everything would be no prediction, and the size of what is expected has to be that of the error.
    expect(marked).toBeLessThan(0.55);
    expect(expected / error).toBeGreaterThan(0.5);
    expect(expected / error).toBeLessThan(2);
  }
});

test('a chosen path that can’t follow is expected to be worse, and is', () => {
  const straight = rows.find((row) => row.path === 'straight'),
    auto = rows.find((row) => row.path === 'auto' && row.frame === 1008);
  if (straight === undefined || auto === undefined) throw new Error('not measured');
  expect(straight.error).toBeGreaterThan(auto.error);
  expect(straight.pathShare).toBeGreaterThan(4 * auto.pathShare);
  expect(straight.rank).toBeGreaterThanOrEqual(0.6);
});
