import { addLight, coverLight, guessRole, lightWord, multiplyLight, takeLights } from '../src';

const pixels = (...colours: number[][]) => Float32Array.from(colours.flat());

describe('light taken out of a picture', () => {
  test('what is left and the light are the picture again, below zero too; alpha stays', () => {
    const whole = pixels([0.5, 0.4, 0.3, 1], [0.2, 0.2, 0.2, 0.5], [0.1, 0, 0, 0.25]),
      light = pixels([0.3, 0.1, 0, 1], [0, 0, 0, 1], [0.1015625, 0, 0, 1]);
    const left = whole.slice();
    expect(takeLights(left, [{ name: 'reflection', rgba: light }])).toEqual([]);
    expect([...left].filter((_, i) => i % 4 === 3)).toEqual([1, 0.5, 0.25]);
    expect(left[8]).toBeLessThan(0);
    addLight(left, light);
    left.forEach((v, i) => expect(v).toBeCloseTo(whole[i], 6));
  });
  test('several are all taken, and half of one is added', () => {
    const left = pixels([1, 1, 1, 1]);
    takeLights(left, [
      { name: 'a', rgba: pixels([0.25, 0, 0, 1]) },
      { name: 'b', rgba: pixels([0.25, 0.5, 0, 1]) },
    ]);
    expect([...left]).toEqual([0.5, 0.5, 1, 1]);
    addLight(left, pixels([0.5, 0, 0, 1]), 0.5);
    expect([...left]).toEqual([0.75, 0.5, 1, 1]);
  });
  test('a pass that is no part of the picture is said by its name; noise is not', () => {
    const count = 100,
      grey = (v: number) => new Float32Array(count * 4).fill(v);
    expect(takeLights(grey(0.5), [{ name: 'refraction', rgba: grey(0.9) }])).toEqual([
      expect.stringMatching(/^100 % .* light pass refraction is brighter than the beauty/),
    ]);
    // Brighter here and there by what a renderer rounds and denoises.
    expect(takeLights(grey(0.5), [{ name: 'spec', rgba: grey(0.5).map((v, i) => v * (i % 8 < 4 ? 1.04 : 0.9)) }])).toEqual([]);
    expect(takeLights(grey(0), [{ name: 'spec', rgba: grey(0) }])).toEqual([]);
  });
});

test('a light pass has the alpha of its surface around its light, none elsewhere', () => {
  const width = 200,
    height = 30,
    light = new Float32Array(width * height * 4),
    surface = light.map((_, i) => (i % 4 === 3 ? 0.5 : 0.2));
  light[(10 * width + 100) * 4] = 2;
  coverLight(light, surface, width);
  const alpha = (x: number, y: number) => light[(y * width + x) * 4 + 3];
  // A fortieth of the width around, in both directions.
  expect([94, 95, 100, 105, 106].map((x) => alpha(x, 10))).toEqual([0, 0.5, 0.5, 0.5, 0]);
  expect([4, 5, 15, 16].map((y) => alpha(100, y))).toEqual([0, 0.5, 0.5, 0]);
  expect(alpha(95, 5)).toBe(0.5);
  coverLight(light, null, width);
  expect(alpha(100, 10)).toBe(1);
  expect(light[(10 * width + 100) * 4]).toBe(2);
});

test('light that is stored without its alpha is multiplied by it', () => {
  const light = pixels([0.8, 0.4, 0.2, 1]);
  multiplyLight(light, pixels([0, 0, 0, 0.5]));
  expect([...light].slice(0, 3).map((v) => Number(v.toFixed(6)))).toEqual([0.4, 0.2, 0.1]);
});

describe('names of light passes', () => {
  const channels = ['R', 'G', 'B'].map((name) => ({ name, type: 'half' as const }));
  const roleOf = (file: string, layer: string) => guessRole({ file, layer, channels }).role;
  test.each([
    ['float.####.exr', 'reflection'],
    ['float.####.exr', 'specular_indirect'],
    ['float.####.exr', 'RefractionDirect'],
    ['tc/float_refl.####.exr', ''],
    ['spec.####.exr', ''],
  ])('%s %s', (file, layer) => expect(roleOf(file, layer)).toBe('light'));
  test.each([
    // A folder of specs, a whole picture, a surface's own colour, and what moves.
    ['spec/float.####.exr', '', 'beauty'],
    ['reflection_beauty.####.exr', '', 'beauty'],
    ['float.####.exr', 'diffuse', 'other'],
    ['float.####.exr', 'inspection', 'other'],
    ['float.####.exr', 'reflection_motion', 'motion'],
    ['float.####.exr', 'reflection_depth', 'depth'],
  ])('%s %s is %s', (file, layer, role) => expect(roleOf(file, layer)).toBe(role));
  test('the word itself tells which motion belongs to which light', () => {
    expect(lightWord('motion_reflection')).toBe('reflection');
    expect(lightWord('reflection')).toBe('reflection');
    expect(lightWord('diffuse')).toBeNull();
  });
});
