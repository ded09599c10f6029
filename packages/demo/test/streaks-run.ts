import { combineStreaks, findStreaks, measureStreak, type PlateLight } from '@ivrex/core';
import { TIDAL_CLOCK } from '../src';
import { EMBER_COUNT, emberAt, makeSluice, renderPlate } from '../src/sluice';

/** Prints what is measured of the embers' streaks in TC_010's plate: { drawn, found, refused }. */
const size = TIDAL_CLOCK;
const sluice = makeSluice(size);

function lightAt(t: number): Float32Array {
  const { rgba } = renderPlate(sluice, t, 1001 + t),
    out = new Float32Array(size.width * size.height);
  for (let i = 0; i < out.length; i++) out[i] = 0.2126 * rgba[i * 4] + 0.7152 * rgba[i * 4 + 1] + 0.0722 * rgba[i * 4 + 2];
  return out;
}

const t = 11;
const plate: PlateLight = { ...size, previous: lightAt(t - 1), now: lightAt(t), next: lightAt(t + 1) };
const drawn = [];
for (let ember = 0; ember < EMBER_COUNT; ember++) {
  const a = emberAt(ember, t - 0.25),
    b = emberAt(ember, t + 0.25);
  // Drawn as by hand: a little beside it, and not to its very ends.
  if (a !== null && b !== null && a.x > 40) drawn.push(measureStreak(plate, { x: a.x - 2, y: a.y + 2 }, { x: b.x + 1, y: b.y - 1.5 }));
}
const found = findStreaks(plate);
const alone = measureStreak({ ...plate, previous: null }, { x: 332, y: 125 }, { x: 345, y: 124 });
process.stdout.write(
  JSON.stringify({
    drawn,
    found,
    combined: combineStreaks(found),
    alone,
    empty: measureStreak(plate, { x: 100, y: 60 }, { x: 130, y: 62 }),
    short: measureStreak(plate, { x: 100, y: 60 }, { x: 101, y: 60 }),
    unmoved: measureStreak({ ...plate, previous: null, next: null }, { x: 332, y: 125 }, { x: 345, y: 124 }),
  }),
);
