import { planeOnDisplay, rgbaOnDisplay, type Image, type Plane, type Window } from '../src';

const window = (xMin: number, yMin: number, xMax: number, yMax: number): Window => ({ xMin, yMin, xMax, yMax });
/** Every value says where it lies: x + 100 y. */
function placed(dataWindow: Window, name = 'R'): Plane {
  const width = dataWindow.xMax - dataWindow.xMin + 1,
    height = dataWindow.yMax - dataWindow.yMin + 1;
  const at = (i: number) => dataWindow.xMin + (i % width) + 100 * (dataWindow.yMin + Math.floor(i / width));
  return { name, type: 'float', data: Float32Array.from({ length: width * height }, (_, i) => at(i)) };
}

describe('a data window is laid over the display window where it lies', () => {
  const display = window(2, 1, 7, 4);
  test.each<[string, Window]>([
    ['inside', window(3, 2, 5, 3)],
    ['the same', display],
    ['reaching beyond on all sides', window(0, 0, 9, 9)],
    ['cut at the left and the top', window(-4, -3, 3, 2)],
    ['cut at the right and the bottom', window(6, 4, 30, 8)],
    ['beside it', window(8, 1, 12, 4)],
    ['below it', window(2, 5, 7, 9)],
  ])('%s', (_, dataWindow) => {
    const image: Image = { displayWindow: display, dataWindow, planes: [placed(dataWindow)] };
    const expected = [];
    for (let y = 1; y <= 4; y++)
      for (let x = 2; x <= 7; x++) {
        const isIn = x >= dataWindow.xMin && x <= dataWindow.xMax && y >= dataWindow.yMin && y <= dataWindow.yMax;
        expected.push(isIn ? x + 100 * y : -1);
      }
    expect([...planeOnDisplay(image, image.planes[0], -1)]).toEqual(expected);
  });
  test('samples of every other pixel stand for what follows them, counted from 0', () => {
    const dataWindow = window(1, 0, 6, 1);
    const plane: Plane = { name: 'BY', type: 'float', data: Float32Array.of(2, 4, 6), sampling: { x: 2, y: 2, width: 3, height: 1 } };
    const image: Image = { displayWindow: dataWindow, dataWindow, planes: [plane] };
    expect([...planeOnDisplay(image, plane)]).toEqual([2, 2, 2, 4, 4, 6, 2, 2, 2, 4, 4, 6]);
  });
  test('a picture without alpha is solid, also beyond its data; a missing colour is 0', () => {
    const display2 = window(0, 0, 1, 0),
      dataWindow = window(1, 0, 1, 0);
    const image: Image = { displayWindow: display2, dataWindow, planes: [placed(dataWindow)] };
    expect([...rgbaOnDisplay(image, ['R', null, 'gone', null])]).toEqual([0, 0, 0, 1, 1, 0, 0, 1]);
  });
});
