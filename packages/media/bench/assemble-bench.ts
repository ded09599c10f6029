import path from 'node:path';
import {
  apertureTable,
  assembleRows,
  defocusPicture,
  gradeTables,
  NEUTRAL_GRADE,
  NO_FINISH,
  prepareBlur,
  renderRows,
  treatPlan,
  UNTREATED,
  type AssembledElement,
} from '@ivrex/core';
import { referenceGrade, referenceKernels } from '@ivrex/core/reference';
import { loadNodeHost } from '../src';
import { line, quickest } from './measure';
import { twoLayers } from './two-layers';

const host = await loadNodeHost(path.join(process.cwd(), 'packages/kernels/build/kernels.wasm'));
const shutter = { opens: -0.25, closes: 0.25, strength: 1 };
const GRADE = { ...NEUTRAL_GRADE, exposure: 0.4, contrast: 1.2, gamma: 1.1, saturation: 1.1, warmth: 0.3 };
const floats = (length: number) => new Float32Array(length);

/** What a preview of a 1920 x 1080 shot is worked at. */
const WIDTH = 960,
  HEIGHT = 540;

process.stdout.write('\nFour elements of a 1920 x 1080 shot, 180 degrees, at preview size; one thread, the quickest of several\n');
const plan = prepareBlur({ ...twoLayers(WIDTH, HEIGHT), path: 'auto', reachFrames: 0.5 });
const out = new Float32Array(WIDTH * HEIGHT * 4);

/** One element under a grade before its blur, as the page makes it while a value is dragged. */
function draft(grade: typeof GRADE | null): void {
  const treated = treatPlan(plan, { ...UNTREATED, grade }, null, 'draft', floats, host.kernels);
  const session = host.kernels.openSlices(treated.layers);
  renderRows(treated, session, { shutter, quality: 'draft', samples: 'auto' }, 0, HEIGHT, out);
  session.close();
}

const blurred = quickest(5, () => draft(null));
const graded = quickest(5, () => draft(GRADE));
line('  one element, graded before its blur', graded, 'its blur alone', blurred);
const element: AssembledElement = { rgba: out, blend: 'over', opacity: 1, grade: null, wantsGrain: true };
const plate = new Float32Array(out.length).fill(0.3),
  picture = new Float32Array(out.length);
const laid = quickest(5, () =>
  assembleRows(
    { width: WIDTH, height: HEIGHT },
    plate,
    Array(4).fill(element) as AssembledElement[],
    NO_FINISH,
    1,
    0,
    HEIGHT,
    picture,
    host.kernels,
  ),
);
line('  four elements laid over the plate', laid, 'one blur', blurred);
const halves = new Uint16Array(out.length);
const carried = quickest(5, () => {
  host.kernels.floatToHalf(out, halves);
  host.kernels.halfToFloat(halves, out);
  host.kernels.floatToHalf(picture, halves);
});
line('  from a change of grade to the assembled picture', graded + laid + carried, 'the goal of 250 ms', 0.25);

process.stdout.write('Parts\n');
const ready = gradeTables(GRADE);
if (ready === null) throw new Error('the grade does nothing');
const colours = Float32Array.from({ length: WIDTH * HEIGHT * 4 }, (_, i) => (i % 4 === 3 ? 1 : 0.05 + (i % 97) / 60));
const tables = quickest(5, () => host.kernels.grade(colours, ready));
const powers = quickest(2, () => {
  for (let i = 0; i < colours.length; i += 4) referenceGrade([colours[i], colours[i + 1], colours[i + 2]], GRADE);
});
line('  grading by tables', tables, 'by powers', powers);
const size = 160,
  small = colours.slice(0, size * size * 4),
  radii = new Float32Array(size * size).fill(8),
  table = apertureTable({ blades: 0, turnDeg: 0 }, 8, 'final');
const kernel = quickest(5, () => defocusPicture(small, size, size, radii, table, host.kernels));
const plain = quickest(2, () => defocusPicture(small, size, size, radii, table, referenceKernels));
line('  light through an aperture of 8 px', kernel, 'the same in plain JavaScript', plain);
