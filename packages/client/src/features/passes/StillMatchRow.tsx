import type { DisplayChoice, Pass, ShotDetail } from '@ivrex/contract';
import {
  DISPLAY_TRANSFORM_NAMES,
  DISPLAY_TRANSFORMS,
  halfToNumber,
  matchStill,
  viewColours,
  type DisplayTransform,
  type StillMatch,
  type ViewTransform,
} from '@ivrex/core';
import { Button, Select, Upload } from 'antd';
import { useState } from 'react';
import { loadRaster } from '../../api/raster-cache';
import { sentenceOf } from '../../api/request';
import { shownFrame } from '../../viewer/Thumbnail';
import { useView } from '../../viewer/view-store';

interface Props {
  readonly detail: ShotDetail;
  readonly pictures: readonly Pass[];
  readonly onDisplay: (choice: DisplayChoice, label: string) => void;
}

type Outcome =
  | {
      readonly kind: 'match';
      readonly still: string;
      readonly now: StillMatch;
      readonly better: { readonly transform: DisplayTransform; readonly match: StillMatch } | null;
    }
  | { readonly kind: 'problem'; readonly message: string };

/** A view and a still are the same picture when they differ by rounding alone: this mean, in 8-bit steps, and this share within two steps. */
const SAME_STEPS = 1,
  SAME_SHARE = 0.98;

/** "Does my view match this still?": a number, the place of the worst pixel, a difference picture, and a transform that matches better. */
export function StillMatchRow({ detail, pictures, onDisplay }: Props) {
  const [picked, setPicked] = useState<string | null>(null);
  const [outcome, setOutcome] = useState<Outcome | null>(null);
  const [still, setStill] = useState<Still | null>(null);
  const frame = useView((s) => s.frame),
    lut = useView((s) => s.lut),
    set = useView((s) => s.set);
  const pass = pictures.find((p) => p.id === picked) ?? pictures[0];
  if (pass === undefined) return null;
  const { displayTransform: choice } = detail.settings;
  const current: ViewTransform | null = typeof choice === 'string' ? choice : lut === null ? null : { lut, input: choice.input };
  const compare = async (file: File | null, against: Pass) => {
    try {
      const loaded = file === null ? still : await readStill(file);
      if (loaded === null || current === null) return;
      setStill(loaded);
      const result = await compareWith(loaded, against, shownFrame(against, frame), current);
      setOutcome(result.outcome);
      if (result.outcome.kind === 'match') set({ difference: result.difference, look: 'difference' });
    } catch (error) {
      setOutcome({ kind: 'problem', message: sentenceOf(error) });
    }
  };
  return (
    <>
      <div className="row" style={{ flexWrap: 'nowrap' }}>
        <Select
          className="grow"
          size="small"
          aria-label="Picture to hold against the still"
          value={pass.id}
          options={pictures.map((p) => ({ value: p.id, label: p.name }))}
          onChange={(id) => {
            setPicked(id);
            const other = pictures.find((p) => p.id === id);
            if (other && still) void compare(null, other);
          }}
        />
        <Upload accept=".png,.jpg,.jpeg" showUploadList={false} beforeUpload={(file) => (void compare(file, pass), false)}>
          <Button size="small">Match a still</Button>
        </Upload>
      </div>
      {outcome?.kind === 'problem' && (
        <span role="alert" className="bad">
          {outcome.message}
        </span>
      )}
      {outcome?.kind === 'match' && (
        <div className="evidence" data-testid="still-match">
          {outcome.now.meanSteps < SAME_STEPS && outcome.now.withinShare >= SAME_SHARE ? 'The view matches ' : 'The view does not match '}
          {outcome.still}: {outcome.now.meanSteps.toFixed(1)} of 255 steps apart on average, {Math.round(outcome.now.worstSteps)} at most
          (at {outcome.now.worstAt.x}, {outcome.now.worstAt.y}), {Math.round(outcome.now.withinShare * 100)} % of the pixels within two.
          {outcome.better !== null && (
            <div className="row" style={{ marginTop: 5 }}>
              <Button
                size="small"
                onClick={() => {
                  const { transform } = outcome.better ?? { transform: 'srgb' as const };
                  onDisplay(transform, `View through ${DISPLAY_TRANSFORM_NAMES[transform]}, as the still`);
                  setOutcome({ ...outcome, now: outcome.better?.match ?? outcome.now, better: null });
                }}
              >
                {`${DISPLAY_TRANSFORM_NAMES[outcome.better.transform]} comes closer: ${outcome.better.match.meanSteps.toFixed(1)} steps`}
              </Button>
            </div>
          )}
        </div>
      )}
    </>
  );
}

interface Still {
  readonly name: string;
  readonly width: number;
  readonly height: number;
  /** Display values, 3 floats a pixel. */
  readonly values: Float32Array;
}

/** As stored: the browser applies no colour profile. */
async function readStill(file: File): Promise<Still> {
  const bitmap = await createImageBitmap(file, { colorSpaceConversion: 'none', premultiplyAlpha: 'none' }).catch(() => {
    throw new Error(`${file.name} is not a picture that can be read; save the still as PNG or JPEG.`);
  });
  const { width, height } = bitmap;
  const context = new OffscreenCanvas(width, height).getContext('2d', { willReadFrequently: true });
  if (context === null) throw new Error('The browser has no room for the still.');
  context.drawImage(bitmap, 0, 0);
  const { data } = context.getImageData(0, 0, width, height);
  const values = new Float32Array(width * height * 3);
  for (let i = 0; i < values.length; i++) values[i] = data[Math.floor(i / 3) * 4 + (i % 3)] / 255;
  return { name: file.name, width, height, values };
}

async function compareWith(still: Still, pass: Pass, frame: number, transform: ViewTransform) {
  const raster = await loadRaster(pass.id, frame, 'picture');
  const { width, height } = raster.header;
  if (width !== still.width || height !== still.height) {
    const outcome: Outcome = {
      kind: 'problem',
      message: `${still.name} is ${still.width} x ${still.height}, ${pass.name} ${width} x ${height}: choose a still of the same size.`,
    };
    return { outcome, difference: null };
  }
  const rgba = Float32Array.from(raster.planes[0], halfToNumber);
  const view = viewColours(rgba, transform);
  const now = matchStill(view, still.values, width);
  const others = DISPLAY_TRANSFORMS.filter((t) => t !== transform).map((t) => ({
    transform: t,
    match: matchStill(viewColours(rgba, t), still.values, width),
  }));
  const best = others.reduce((a, b) => (b.match.meanSteps < a.match.meanSteps ? b : a));
  const shown = new Float32Array(width * height * 4);
  for (let i = 0; i < width * height; i++) {
    for (let c = 0; c < 3; c++) shown[i * 4 + c] = Math.min(1, Math.max(0, 0.5 + GAIN * (view[i * 3 + c] - still.values[i * 3 + c])));
    shown[i * 4 + 3] = 1;
  }
  const outcome: Outcome = { kind: 'match', still: still.name, now, better: best.match.meanSteps < now.meanSteps * 0.8 ? best : null };
  const difference = { width, height, rgba: shown, note: `view minus still, ${GAIN} times; grey is equal` };
  return { outcome, difference };
}

const GAIN = 8;
