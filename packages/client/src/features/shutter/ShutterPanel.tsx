import { shutterAngleDeg, shutterFromAngle, type PathChoice, type Shutter } from '@ivrex/core';
import { Button, InputNumber, Segmented, Select, Tooltip } from 'antd';
import { useEffect } from 'react';
import { Link } from 'react-router';
import { DragNumber } from '../../ui/DragNumber';
import { useView } from '../../viewer/view-store';
import { useShotContext } from '../shot/ShotPage';
import { BlurReport } from './BlurReport';
import { HiddenCard } from './HiddenCard';
import { IntervalStrip } from './IntervalStrip';

const PRESETS: readonly { name: string; shutter: Omit<Shutter, 'strength'> }[] = [
  { name: '180 centred', shutter: shutterFromAngle(180, 'centre') },
  { name: '180 from the frame', shutter: shutterFromAngle(180, 'open') },
  { name: '144 centred', shutter: shutterFromAngle(144, 'centre') },
  { name: '270 centred', shutter: shutterFromAngle(270, 'centre') },
  { name: '360 from the frame', shutter: shutterFromAngle(360, 'open') },
];
const PATHS: { value: PathChoice; label: string; tip: string }[] = [
  { value: 'auto', label: 'Auto', tip: 'Arcs, which straight motion makes straight' },
  { value: 'straight', label: 'Straight', tip: 'One line through the frame' },
  { value: 'bent', label: 'Bent', tip: 'A curve through previous, now and next, without turning' },
  { value: 'arc', label: 'Arc', tip: 'Follows rotation, scale and shear around each point' },
];

/** The camera's shutter, with its effect in the picture while it is dragged. */
export function ShutterPanel() {
  const { detail, change, shutter, setLiveShutter } = useShotContext();
  const { settings } = detail;
  const agreed = settings.elements[0].encoding !== null;
  const speed = useView((s) => s.audit.get(s.frame)?.peakPx);
  useEffect(() => {
    // The first look at this step shows what it is about.
    if (agreed && ['sharp', 'pass', 'directions', 'speed'].includes(useView.getState().look))
      useView.setState({ look: 'wipe', needles: false });
  }, [agreed]);
  if (!agreed)
    return (
      <div className="empty-state">
        <h2>The motion is not read yet</h2>
        <div>The shutter needs to know how the motion pass is stored.</div>
        <Link to="../motion">Go to Motion</Link>
      </div>
    );
  const commit = (next: Shutter) => {
    change(`Shutter ${Math.round(shutterAngleDeg(next))} degrees`, (s) => ({ ...s, shutter: next }));
    setLiveShutter(next);
  };
  const angle = shutterAngleDeg(shutter),
    middle = (shutter.opens + shutter.closes) / 2;
  const withAngle = (degrees: number): Shutter => ({ ...shutter, opens: middle - degrees / 720, closes: middle + degrees / 720 });
  const number = { onLive: (v: number, make: (v: number) => Shutter) => setLiveShutter(make(v)) };
  const field = (
    label: string,
    value: number,
    step: number,
    make: (v: number) => Shutter,
    rest: { min?: number; max?: number; unit?: string; digits?: number },
  ) => (
    <DragNumber
      label={label}
      value={value}
      step={step}
      {...rest}
      onLive={(v) => number.onLive(v, make)}
      onCommit={(v) => commit(make(v))}
    />
  );
  return (
    <>
      <h2>Shutter</h2>
      <div className="card">
        <IntervalStrip shutter={shutter} onLive={setLiveShutter} onCommit={commit} />
        <div className="row">
          {PRESETS.map((p) => (
            <Button
              key={p.name}
              size="small"
              type={
                Math.abs(p.shutter.opens - shutter.opens) < 1e-6 && Math.abs(p.shutter.closes - shutter.closes) < 1e-6
                  ? 'primary'
                  : 'default'
              }
              onClick={() => commit({ ...shutter, ...p.shutter })}
            >
              {p.name}
            </Button>
          ))}
        </div>
        <div className="grid2">
          {field('Angle', angle, 1, withAngle, { min: 0, max: 720, unit: '°', digits: 2 })}
          {field('Strength', shutter.strength, 0.01, (strength) => ({ ...shutter, strength }), { min: 0, max: 10 })}
          {field('Opens', shutter.opens, 0.01, (opens) => ({ ...shutter, opens }), { min: -4, max: shutter.closes, unit: 'frames' })}
          {field('Closes', shutter.closes, 0.01, (closes) => ({ ...shutter, closes }), { min: shutter.opens, max: 4, unit: 'frames' })}
        </div>
        <span className="evidence">
          {speed === undefined
            ? 'Measuring this frame.'
            : `Longest streak in this frame: about ${(speed * shutter.strength * (shutter.closes - shutter.opens)).toFixed(0)} px, from a vector of ${speed.toFixed(1)} px a frame.`}
          {shutter.strength === 1 ? '' : ' Strength 1 is physically right.'}
        </span>
      </div>
      <div className="card">
        <b>Path</b>
        <Segmented
          size="small"
          block
          value={settings.path}
          options={PATHS.map(({ value, label, tip }) => ({ value, label: <Tooltip title={tip}>{label}</Tooltip> }))}
          onChange={(path) => change(`Path ${path}`, (s) => ({ ...s, path }))}
        />
        <b>Samples</b>
        <div className="row">
          <Select
            size="small"
            aria-label="Samples"
            style={{ width: 190 }}
            value={settings.samples === 'auto' ? 'auto' : 'fixed'}
            options={[
              { value: 'auto', label: 'Automatic, by streak' },
              { value: 'fixed', label: 'Fixed number' },
            ]}
            onChange={(kind) => change(`Samples ${kind}`, (s) => ({ ...s, samples: kind === 'auto' ? 'auto' : 32 }))}
          />
          {settings.samples !== 'auto' && (
            <InputNumber
              size="small"
              aria-label="Number of samples"
              min={1}
              max={512}
              value={settings.samples}
              onChange={(v) => {
                if (v !== null) change(`${v} samples`, (s) => ({ ...s, samples: Math.round(v) }));
              }}
            />
          )}
        </div>
      </div>
      <HiddenCard />
      <BlurReport />
    </>
  );
}
