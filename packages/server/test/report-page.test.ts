import type { ShotReport } from '@ivrex/contract';
import { reportPage } from '../src/services/report-page';

const ODD = `<script>alert("tide's in")</script>`;

/** A report whose every name and sentence is what no page may run. */
const report: ShotReport = {
  ivrexReport: 1,
  shot: { name: ODD, folder: ODD, firstFrame: 1001, lastFrame: 1002, fps: 24, width: 480, height: 270 },
  madeAt: '2020-01-02T03:04:05.000Z',
  state: ODD,
  passes: [{ name: ODD, file: ODD, role: 'beauty', frames: ODD, channels: [ODD], compression: ODD }],
  findings: [ODD],
  encoding: null,
  reading: null,
  repairs: [],
  audit: [],
  shutter: { words: ODD, plan: { opens: 0, closes: 0.5, strength: 1, keys: [], floorPx: null, ceilingPx: null } },
  path: ODD,
  match: null,
  matchedTo: null,
  frames: [
    {
      frame: 1001,
      reference: ODD,
      figures: null,
      before: null,
      made: ODD,
      trust: null,
      pictures: [{ title: ODD, base64: '' }],
      warnings: [ODD],
    },
  ],
  cost: { frames: 2, sharpSeconds: null, blurredSeconds: null, isMeasured: false },
};

test('names and sentences stand in a report as they are, and run nothing', () => {
  const page = reportPage(report);
  expect(page).not.toContain('<script');
  expect(page).not.toContain(`tide's`);
  // Title, heading, folder, state, shutter, path, made, picture twice, warning, and the pass.
  expect(page.split('&#60;script&#62;').length - 1).toBeGreaterThanOrEqual(10);
});
