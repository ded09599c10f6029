import { runOutside } from './run-outside';

interface Score {
  readonly rank: number;
  readonly found: number;
  readonly marked: number;
  readonly expected: number;
  readonly error: number;
  readonly pathShare: number;
}
interface HeronRow extends Score {
  readonly size: 'golden' | 'small';
  readonly path: string;
  readonly frame: number;
}
interface SceneRow extends Score {
  readonly scene: string;
  readonly shutter: string;
}

let heron: readonly HeronRow[] = [],
  scenes: readonly SceneRow[] = [];
beforeAll(() => {
  ({ heron, scenes } = runOutside<{ heron: HeronRow[]; scenes: SceneRow[] }>('trust-run.ts'));
}, 600000);

function say(name: string, { rank, found, marked, expected, error }: Score): void {
  process.stdout.write(
    `${name}: rank correlation ${rank.toFixed(2)}, ${(100 * found).toFixed(0)} % of the worst 5 % in the ${(100 * marked).toFixed(0)} % marked, expected ${expected.toFixed(4)}, true ${error.toFixed(4)}\n`,
  );
}

test('TC_010: the confidence map predicts the true error, and the worst of it lies where it is marked', () => {
  const auto = heron.filter((row) => row.path === 'auto');
  expect(auto).toHaveLength(5);
  for (const row of auto) {
    say(`${row.frame}`, row);
    // Measured: 0.68 at full size, 0.77 to 0.80 at half size; 80 to 92 % found.
    expect(row.rank).toBeGreaterThanOrEqual(row.size === 'golden' ? 0.66 : 0.74);
    expect(row.found).toBeGreaterThanOrEqual(0.77);
    // Marking everything would be no prediction, and the size of what is expected has to be that of the error.
    expect(row.marked).toBeLessThan(0.301);
    expect(row.expected / row.error).toBeGreaterThan(0.9);
    expect(row.expected / row.error).toBeLessThan(1.5);
  }
});

test('scenes of depth: likewise, under half a frame around it and a whole one after it', () => {
  expect(scenes).toHaveLength(14);
  for (const row of scenes) {
    const name = `${row.scene} ${row.shutter}`;
    say(name, row);
    // Measured: 0.61 to 0.81, and 74 to 97 % found.
    expect(row.rank).toBeGreaterThanOrEqual(0.6);
    expect(row.found).toBeGreaterThanOrEqual(0.74);
    expect(row.marked).toBeLessThan(0.301);
    // Cautious where cloth folds: 2.2 to 2.7; elsewhere 0.7 to 1.4.
    expect(row.expected / row.error).toBeGreaterThan(0.6);
    expect(row.expected / row.error).toBeLessThan(row.scene === 'tarpaulin' ? 3 : 2);
  }
});

test('a chosen path that can’t follow is expected to be worse, and is', () => {
  const straight = heron.find((row) => row.path === 'straight'),
    auto = heron.find((row) => row.path === 'auto' && row.frame === 1008);
  if (straight === undefined || auto === undefined) throw new Error('not measured');
  expect(straight.error).toBeGreaterThan(auto.error);
  expect(straight.pathShare).toBeGreaterThan(4 * auto.pathShare);
  expect(straight.rank).toBeGreaterThanOrEqual(0.6);
});
