import {
  compareWithin,
  markedFrom,
  SEEN_ERROR,
  touchedPixels,
  TRUST_CAUSES,
  verdictOf,
  type BlurPlan,
  type TrustCause,
  type TrustFacts,
  type TrustMap,
} from '../src';

/** Floats round. */
const SEEN = SEEN_ERROR * 1.01,
  SMALL = 0.01;
const SIDE = 20,
  COUNT = SIDE * SIDE;
const FACTS: TrustFacts = {
  pathIsChosen: false,
  looksAround: true,
  mixes: true,
  hasNeighbours: true,
  hasBackground: false,
  hasDepth: true,
  mends: false,
};

/** A map whose first `share` of pixels has this error by this cause. */
function mapWith(cause: TrustCause, error: number, share: number): TrustMap {
  const causes = Object.fromEntries(TRUST_CAUSES.map((name) => [name, new Float32Array(COUNT)])) as Record<TrustCause, Float32Array>;
  causes[cause].fill(error, 0, Math.round(share * COUNT));
  return { width: SIDE, height: SIDE, causes, expected: causes[cause] };
}
const all = new Uint8Array(COUNT).fill(1);

describe('verdict', () => {
  test('small errors are fine, and the share of marked pixels is said', () => {
    const verdict = verdictOf(mapWith('hidden', SMALL, 0.25), all, FACTS);
    expect(verdict).toMatchObject({ word: 'fine', markedShare: 0.25, seenShare: 0, touched: COUNT });
    expect(verdict.causes).toHaveLength(1);
    expect(verdict.expectedPsnr).toBeCloseTo(-10 * Math.log10(0.4 * 0.25 * SMALL ** 2), 5);
  });
  test('of small errors the worst are marked, three tenths at most; what would be seen always is', () => {
    const ramp = (most: number) => Float32Array.from({ length: COUNT }, (_, i) => (most * i) / (COUNT - 1));
    const share = (expected: Float32Array, touched = all) => {
      const from = markedFrom(expected, touched);
      return expected.filter((v, i) => touched[i] === 1 && v >= from).length / touched.reduce((sum, v) => sum + v, 0);
    };
    expect(share(ramp(0.02))).toBeCloseTo(0.3, 2);
    expect(share(ramp(0.0019))).toBe(0);
    expect(share(ramp(0.08))).toBeCloseTo(0.5, 2);
    // What the blur does not touch has no say.
    expect(share(ramp(0.02), new Uint8Array(COUNT).fill(1, 0, COUNT / 2))).toBeCloseTo(0.3, 2);
    expect(markedFrom(ramp(1), new Uint8Array(COUNT))).toBe(SEEN_ERROR);
  });
  test('what can be mended is said with what to do', () => {
    const chosen = verdictOf(mapWith('path', SEEN_ERROR * 2, 0.3), all, { ...FACTS, pathIsChosen: true });
    expect(chosen).toMatchObject({ word: 'fix', causes: [{ cause: 'path', fix: 'useArcs', worst: { x: 0, y: 0 } }] });
    expect(verdictOf(mapWith('depth', SEEN, 0.3), all, { ...FACTS, hasDepth: false }).causes[0].fix).toBe('chooseDepth');
    expect(verdictOf(mapWith('vectors', SEEN, 0.3), all, FACTS).causes[0].fix).toBe('mendVectors');
    expect(verdictOf(mapWith('hidden', SEEN, 0.3), all, { ...FACTS, looksAround: false }).causes[0].fix).toBe('lookAround');
    expect(verdictOf(mapWith('oneFrame', SEEN, 0.3), all, { ...FACTS, mixes: false }).causes[0].fix).toBe('mixFrames');
    expect(verdictOf(mapWith('oneFrame', SEEN, 0.3), all, FACTS).causes[0].fix).toBeNull();
    expect(verdictOf(mapWith('hidden', SEEN, 0.3), all, { ...FACTS, hasNeighbours: false }).causes[0].fix).toBe('chooseBackground');
  });
  test('what no setting mends is to be rendered again when it is much, and looked at when it is little', () => {
    expect(verdictOf(mapWith('transparency', SEEN, 0.4), all, FACTS).word).toBe('rerender');
    const little = verdictOf(mapWith('transparency', SEEN, 0.06), all, FACTS);
    expect(little.word).toBe('fine');
    expect(little.sentence).toContain('6.0 %');
  });
  test('shares are of what the blur touches', () => {
    const touched = new Uint8Array(COUNT);
    touched.fill(1, 0, COUNT / 4);
    expect(verdictOf(mapWith('transparency', SEEN, 0.25), touched, FACTS).seenShare).toBe(1);
    expect(verdictOf(mapWith('transparency', SEEN, 0.25), new Uint8Array(COUNT), FACTS)).toMatchObject({
      word: 'fine',
      touched: 0,
      causes: [],
    });
  });
  test('touched is what differs from the sharp picture', () => {
    const sharp = new Float32Array(16);
    const blurred = sharp.slice();
    blurred[5] = 0.01;
    expect([...touchedPixels({ width: 2, height: 2, sharp } as BlurPlan, blurred)]).toEqual([0, 1, 0, 0]);
  });
});

describe('comparing a part', () => {
  const side = 24;
  const picture = (make: (x: number, y: number) => number) => {
    const out = new Float32Array(side * side * 4);
    for (let y = 0; y < side; y++) for (let x = 0; x < side; x++) out.fill(make(x, y), (y * side + x) * 4, (y * side + x) * 4 + 4);
    return out;
  };
  const a = picture((x) => x / side),
    b = picture((x, y) => x / side + (x === 20 && y === 3 ? 0.5 : 0));

  test('the largest difference is found where it is', () => {
    const whole = compareWithin(a, b, side, side, null, null, null);
    expect(whole).toMatchObject({ maxAt: { x: 20, y: 3 }, pixels: side * side, maskedPsnr: null });
    expect(whole?.maxAbs).toBeCloseTo(0.5, 6);
    // Clamped to 1 on the way: 20 / 24 + 0.5 counts as 1.
    expect(whole?.psnr).toBeCloseTo(-10 * Math.log10((1 - 20 / 24) ** 2 / (side * side)), 4);
  });
  test('a box and a set of pixels leave the rest out', () => {
    const box = compareWithin(a, b, side, side, null, { x0: 0, y0: 0, x1: 12, y1: 12 }, null);
    expect(box).toMatchObject({ psnr: Infinity, maxAbs: 0, pixels: 144 });
    const inside = new Uint8Array(side * side);
    inside[3 * side + 20] = inside[3 * side + 21] = 1;
    const two = compareWithin(a, b, side, side, null, null, inside);
    expect(two).toMatchObject({ pixels: 2, maxAt: { x: 20, y: 3 } });
    expect(two?.psnr).toBeCloseTo(-10 * Math.log10((1 - 20 / 24) ** 2 / 2), 4);
    expect(compareWithin(a, b, side, side, null, { x0: 30, y0: 0, x1: 40, y1: 5 }, null)).toBeNull();
    expect(compareWithin(a, b, side, side, null, null, new Uint8Array(side * side))).toBeNull();
  });
  test('against the sharp picture only what the blur changed counts', () => {
    const masked = compareWithin(a, b, side, side, a, null, null);
    // The changed pixel and four around it each way: 9 x 8, as it lies three from the top and three from the right.
    expect(masked?.maskedPsnr).toBeCloseTo(-10 * Math.log10((1 - 20 / 24) ** 2 / (8 * 8)), 4);
  });
});
