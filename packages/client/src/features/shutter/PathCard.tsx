import { PIXELS_PER_SLICE, strengthAt, type PathChoice } from '@ivrex/core';
import { InputNumber, Segmented, Tooltip } from 'antd';
import { Choice } from '../../ui/Choice';
import { useFramePeak } from '../../viewer/use-peaks';
import { useView } from '../../viewer/view-store';
import { useShotContext } from '../shot/ShotPage';

const PATHS: { value: PathChoice; label: string; tip: string }[] = [
  { value: 'auto', label: 'Auto', tip: 'Arcs, which straight motion makes straight' },
  { value: 'straight', label: 'Straight', tip: 'One line through the frame' },
  { value: 'bent', label: 'Bent', tip: 'A curve through previous, now and next, without turning' },
  { value: 'arc', label: 'Arc', tip: 'Follows rotation, scale and shear around each point' },
];
const FIXED = 32;

/** How points travel, and in how many moments they are looked at. */
export function PathCard() {
  const { detail, change, shutter } = useShotContext();
  const { path, samples } = detail.settings;
  const frame = useView((s) => s.frame),
    peak = useFramePeak();
  const streak =
    peak === undefined
      ? null
      : Math.min(peak, shutter.ceilingPx ?? Infinity) * strengthAt(shutter, frame) * (shutter.closes - shutter.opens);
  return (
    <div className="card">
      <b>Path</b>
      <Segmented
        size="small"
        block
        value={path}
        options={PATHS.map(({ value, label, tip }) => ({ value, label: <Tooltip title={tip}>{label}</Tooltip> }))}
        onChange={(next) => change(`Path ${next}`, (s) => ({ ...s, path: next }))}
      />
      <b>Samples</b>
      <div className="row">
        <Choice
          name="Samples"
          style={{ width: 190 }}
          value={samples === 'auto' ? 'auto' : 'fixed'}
          words={{ auto: 'Automatic, by streak', fixed: 'Fixed number' }}
          onChange={(kind) => change(`Samples ${kind}`, (s) => ({ ...s, samples: kind === 'auto' ? 'auto' : FIXED }))}
        />
        {samples !== 'auto' && (
          <InputNumber
            size="small"
            aria-label="Number of samples"
            min={1}
            max={512}
            value={samples}
            onChange={(v) => {
              if (v !== null) void change(`${v} samples`, (s) => ({ ...s, samples: Math.round(v) }));
            }}
          />
        )}
      </div>
      <span className="evidence">{streak === null ? 'Measuring this frame.' : wordsOf(streak, samples)}</span>
    </div>
  );
}

function wordsOf(streak: number, samples: 'auto' | number): string {
  const fine = PIXELS_PER_SLICE.final,
    needed = Math.max(1, Math.ceil(streak / fine));
  if (samples === 'auto')
    return `The longest streak takes about ${needed} ${needed === 1 ? 'slice' : 'slices'} of ${fine} px; slower places fewer.`;
  const each = streak / samples;
  return `${each.toFixed(2)} px a slice in the longest streak${each > fine ? `: copies may show above ${fine} px, ${needed} would do.` : ': fine enough.'}`;
}
