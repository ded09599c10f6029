import { gradeWhenOf, lightsOf, surfaceOf, type Element, type ShotSettings } from '@ivrex/contract';
import { balanceFor, halfToNumber, isNeutralGrade, NEUTRAL_GRADE, type Grade } from '@ivrex/core';
import { Button, Segmented, Tooltip } from 'antd';
import { useEffect, useRef, useState } from 'react';
import { DragNumber } from '../../ui/DragNumber';
import { rasterOf, useRaster } from '../../viewer/use-raster';
import { useView } from '../../viewer/view-store';
import { useShotContext } from '../shot/ShotPage';
import { CurveEditor } from './CurveEditor';
import { StreakPlot } from './StreakPlot';
import { useHistogram } from './use-histogram';
import { useTuned, useTuning, withPlace } from './use-tuning';

type Curve = keyof Grade['curves'];
const CURVES: { value: Curve; label: string; colour: string }[] = [
  { value: 'luma', label: 'Brightness', colour: 'var(--text)' },
  { value: 'red', label: 'Red', colour: '#e06a5f' },
  { value: 'green', label: 'Green', colour: '#63b06c' },
  { value: 'blue', label: 'Blue', colour: '#6b93e0' },
];

const FIELDS: {
  key: Exclude<keyof Grade, 'curves'>;
  label: string;
  step: number;
  min: number;
  max: number;
  unit?: string;
  digits?: number;
}[] = [
  { key: 'exposure', label: 'Exposure', step: 0.05, min: -16, max: 16, unit: 'stops', digits: 2 },
  { key: 'offset', label: 'Offset', step: 0.001, min: -4, max: 4, digits: 4 },
  { key: 'contrast', label: 'Contrast', step: 0.01, min: 0.05, max: 10 },
  { key: 'pivot', label: 'around', step: 0.01, min: 0.001, max: 100 },
  { key: 'gamma', label: 'Gamma', step: 0.01, min: 0.05, max: 10 },
  { key: 'saturation', label: 'Saturation', step: 0.01, min: 0, max: 10 },
  { key: 'warmth', label: 'Warmer', step: 0.02, min: -6, max: 6, unit: 'stops' },
  { key: 'tint', label: 'More magenta', step: 0.02, min: -6, max: 6, unit: 'stops' },
];

/** Colour of one element, before or after its blur, or of the whole picture. */
export function GradeCard({ element }: { element: Element }) {
  const { settings, tune, keep } = useTuning();
  const [of, setOf] = useState<'element' | 'all'>('element');
  const [curve, setCurve] = useState<Curve>('luma');
  const { place } = element;
  const surface = surfaceOf(settings, element),
    hasLights = lightsOf(settings, element).length > 0;
  const kept = of === 'element' ? place.grade : settings.assembly.grade;
  const grade = kept ?? NEUTRAL_GRADE;
  const with_ = (s: ShotSettings, next: Grade): ShotSettings => {
    // A grade that does nothing is none.
    const stored = isNeutralGrade(next) ? null : mutable(next);
    return of === 'element' ? withPlace(s, element.id, { grade: stored }) : { ...s, assembly: { ...s.assembly, grade: stored } };
  };
  const whose = of === 'element' ? element.name : 'All';
  const histogram = useHistogram(of === 'element' ? element : null);
  const shown = CURVES.find((c) => c.value === curve) ?? CURVES[0];
  const pick = useGreyPick((balance) => keep(`${whose}: balance from the picture`, (s) => with_(s, { ...grade, ...balance })), element, of);
  return (
    <section className="card" data-testid="grade-card">
      <div className="row">
        <b className="grow">Colour</b>
        <Segmented
          size="small"
          aria-label="Whose colour"
          value={of}
          options={[
            { value: 'element', label: 'This element' },
            { value: 'all', label: 'On all' },
          ]}
          onChange={setOf}
        />
      </div>
      {of === 'element' && element.motion !== null && (
        <div className="row">
          <Segmented<'before' | 'after'>
            size="small"
            aria-label="When it is graded"
            disabled={surface !== null || hasLights}
            value={surface === null ? gradeWhenOf(settings, element) : 'before'}
            options={[
              { value: 'before', label: 'Before the blur' },
              { value: 'after', label: 'After the blur' },
            ]}
            onChange={(gradeWhen) => keep(`${element.name}: colour ${gradeWhen} the blur`, (s) => withPlace(s, element.id, { gradeWhen }))}
          />
        </div>
      )}
      {of === 'element' && hasLights && (
        <span className="evidence">
          Graded once its light passes are added: the picture is their sum. Each light pass can be graded too.
        </span>
      )}
      <div className="grid2">
        {FIELDS.map(({ key, label, ...rest }) => (
          <DragNumber
            key={key}
            label={label}
            value={grade[key]}
            {...rest}
            onLive={(v) => tune((s) => with_(s, { ...grade, [key]: v }))}
            onCommit={(v) => keep(`${whose}: ${label.toLowerCase()} ${v}`, (s) => with_(s, { ...grade, [key]: v }))}
          />
        ))}
      </div>
      <div className="row">
        <Tooltip title="Click something in the picture that should be grey">
          <Button size="small" type={pick.isOn ? 'primary' : 'default'} aria-pressed={pick.isOn} onClick={pick.toggle}>
            {pick.isOn ? 'Click what is grey' : 'Balance from the picture'}
          </Button>
        </Tooltip>
        <Button size="small" disabled={kept === null} onClick={() => keep(`${whose}: colour as it was`, (s) => with_(s, NEUTRAL_GRADE))}>
          As it was
        </Button>
      </div>
      <Segmented<Curve>
        size="small"
        block
        aria-label="Which curve"
        value={curve}
        options={CURVES.map(({ value, label }) => ({ value, label }))}
        onChange={setCurve}
      />
      <LiveCurve
        label={shown.label}
        of={of}
        element={element}
        curve={curve}
        colour={shown.colour}
        histogram={histogram?.[curve] ?? null}
        onLive={(points) => tune((s) => with_(s, { ...grade, curves: { ...grade.curves, [curve]: points } }))}
        onCommit={(points) =>
          keep(`${whose}: ${shown.label.toLowerCase()} curve`, (s) => with_(s, { ...grade, curves: { ...grade.curves, [curve]: points } }))
        }
      />
      <span className="quiet">Scene light left to right, with its histogram; double-click makes a point or takes it away.</span>
      {of === 'element' && element.motion !== null && <StreakPlot element={element} />}
    </section>
  );
}

interface LiveCurveProps extends Omit<Parameters<typeof CurveEditor>[0], 'points'> {
  readonly of: 'element' | 'all';
  readonly element: Element;
  readonly curve: Curve;
}

/** The curve as it is being dragged. */
function LiveCurve({ of, element, curve, ...rest }: LiveCurveProps) {
  const { elements, assembly } = useTuned();
  const grade = of === 'all' ? assembly.grade : (elements.find((e) => e.id === element.id)?.place.grade ?? null);
  return <CurveEditor {...rest} points={(grade ?? NEUTRAL_GRADE).curves[curve]} />;
}

/** The record's arrays are the settings' own. */
function mutable(grade: Grade): NonNullable<ShotSettings['assembly']['grade']> {
  return { ...grade, curves: { ...grade.curves } };
}

/** The next click in the picture is taken for grey. */
function useGreyPick(onBalance: (balance: Pick<Grade, 'warmth' | 'tint'>) => void, element: Element, of: 'element' | 'all') {
  const [isOn, setIsOn] = useState(false);
  const clicked = useView((s) => s.clicked),
    frame = useView((s) => s.frame),
    assembled = useView((s) => s.assembled);
  const beauty = rasterOf(useRaster(isOn ? element.beauty : null, frame, 'picture'));
  const { shot } = useShotContext().whole;
  const seen = useRef(clicked?.count ?? 0);
  useEffect(() => {
    if (clicked === null || clicked.count === seen.current) return;
    seen.current = clicked.count;
    if (!isOn) return;
    const picture =
      of === 'all'
        ? assembled && { width: assembled.width, height: assembled.height, halves: assembled.halves }
        : beauty && { width: beauty.header.width, height: beauty.header.height, halves: beauty.planes[0] as Uint16Array };
    setIsOn(false);
    if (picture === null) return;
    const balance = balanceFor(meanAround(picture, (clicked.x + 0.5) / shot.width, (clicked.y + 0.5) / shot.height));
    if (balance !== null) onBalance({ warmth: Number(balance.warmth.toFixed(3)), tint: Number(balance.tint.toFixed(3)) });
  }, [clicked, isOn]);
  return { isOn, toggle: () => setIsOn(!isOn) };
}

const PICK_REACH = 2;

/** Mean straight colour of 5 x 5 pixels around a place, in shares of the picture. */
function meanAround(
  { width, height, halves }: { width: number; height: number; halves: Uint16Array },
  sx: number,
  sy: number,
): readonly [number, number, number] {
  const cx = Math.floor(sx * width),
    cy = Math.floor(sy * height),
    sum = [0, 0, 0, 0];
  for (let y = Math.max(0, cy - PICK_REACH); y <= Math.min(height - 1, cy + PICK_REACH); y++)
    for (let x = Math.max(0, cx - PICK_REACH); x <= Math.min(width - 1, cx + PICK_REACH); x++)
      for (let c = 0; c < 4; c++) sum[c] += halfToNumber(halves[(y * width + x) * 4 + c]);
  const a = Math.max(1e-6, sum[3]);
  return [sum[0] / a, sum[1] / a, sum[2] / a];
}
