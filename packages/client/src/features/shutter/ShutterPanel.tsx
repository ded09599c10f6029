import { lightsOf } from '@ivrex/contract';
import { shutterAngleDeg, shutterFromAngle, strengthAt, type ExposureShape, type Shutter, type ShutterPlan } from '@ivrex/core';
import { Button, Segmented, Tooltip } from 'antd';
import { useEffect } from 'react';
import { Link } from 'react-router';
import { DragNumber } from '../../ui/DragNumber';
import { WhoseShutter } from '../../ui/WhoseShutter';
import { useFramePeak } from '../../viewer/use-peaks';
import { useView } from '../../viewer/view-store';
import { ElementRow } from '../shot/ElementRow';
import { useShotContext } from '../shot/ShotPage';
import { BlurReport } from './BlurReport';
import { HiddenCard } from './HiddenCard';
import { IntervalStrip } from './IntervalStrip';
import { LooksCard } from './LooksCard';
import { NeighboursCard } from './NeighboursCard';
import { PathCard } from './PathCard';
import { SpeedsCard } from './SpeedsCard';
import { StrengthCard } from './StrengthCard';

const PRESETS: readonly { name: string; shutter: Omit<Shutter, 'strength'> }[] = [
  { name: '180 centred', shutter: shutterFromAngle(180, 'centre') },
  { name: '180 from the frame', shutter: shutterFromAngle(180, 'open') },
  { name: '144 centred', shutter: shutterFromAngle(144, 'centre') },
  { name: '270 centred', shutter: shutterFromAngle(270, 'centre') },
  { name: '360 from the frame', shutter: shutterFromAngle(360, 'open') },
];
const SHAPES: { value: ExposureShape['kind']; label: string; tip: string }[] = [
  { value: 'even', label: 'Even', tip: 'Fully open all along' },
  { value: 'ramps', label: 'Soft edges', tip: 'Takes a while to open and to close' },
  { value: 'bell', label: 'Bell', tip: 'Rises and falls all along' },
];
const SOFT = 0.2;

/** The camera's shutter, with its effect in the picture while it is dragged. */
export function ShutterPanel() {
  const { detail, change, shutter, setLiveShutter, commitShutter } = useShotContext();
  const { settings } = detail;
  const [element] = settings.elements;
  const agreed = element.encoding !== null;
  const speed = useFramePeak(),
    frame = useView((s) => s.frame);
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
  const commit = (next: ShutterPlan) => commitShutter(`Shutter ${Math.round(shutterAngleDeg(next))} degrees`, next);
  const angle = shutterAngleDeg(shutter),
    middle = (shutter.opens + shutter.closes) / 2,
    strength = strengthAt(shutter, frame);
  const { shape = { kind: 'even' } } = shutter;
  const withFrames = (frames: number): ShutterPlan => ({ ...shutter, opens: middle - frames / 2, closes: middle + frames / 2 });
  const field = (
    label: string,
    value: number,
    step: number,
    make: (v: number) => ShutterPlan,
    rest: { min?: number; max?: number; unit?: string; digits?: number },
  ) => (
    <DragNumber
      label={label}
      value={value}
      step={step}
      {...rest}
      onLive={(v) => setLiveShutter(make(v))}
      onCommit={(v) => commit(make(v))}
    />
  );
  return (
    <>
      <h2>Shutter</h2>
      <ElementRow />
      <div className="card">
        <div className="row">
          <span className="quiet" title={element.name}>
            {element.name}
          </span>
          <span style={{ flex: 1 }} />
          <WhoseShutter
            own={element.shutter}
            shots={settings.shutter}
            onChange={(own, label) =>
              change(`${element.name}: ${label}`, (s) => ({ ...s, elements: [{ ...s.elements[0], shutter: own }, ...s.elements.slice(1)] }))
            }
          />
        </div>
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
          {field('Angle', angle, 1, (v) => withFrames(v / 360), { min: 0, max: 720, unit: '°', digits: 2 })}
          {field('Open for', angle / 360, 0.01, withFrames, { min: 0, max: 2, unit: 'frames' })}
          {field('Opens', shutter.opens, 0.01, (opens) => ({ ...shutter, opens }), { min: -4, max: shutter.closes, unit: 'frames' })}
          {field('Closes', shutter.closes, 0.01, (closes) => ({ ...shutter, closes }), { min: shutter.opens, max: 4, unit: 'frames' })}
        </div>
        <Segmented<ExposureShape['kind']>
          size="small"
          block
          aria-label="Exposure shape"
          value={shape.kind}
          options={SHAPES.map(({ value, label, tip }) => ({ value, label: <Tooltip title={tip}>{label}</Tooltip> }))}
          onChange={(kind) =>
            commitShutter(`Exposure ${kind}`, { ...shutter, shape: kind === 'ramps' ? { kind, opening: SOFT, closing: SOFT } : { kind } })
          }
        />
        {shape.kind === 'ramps' && (
          <div className="grid2">
            {field('Opening takes', shape.opening * 100, 1, (v) => ({ ...shutter, shape: { ...shape, opening: v / 100 } }), {
              min: 0,
              max: 100 - shape.closing * 100,
              unit: '%',
              digits: 1,
            })}
            {field('Closing takes', shape.closing * 100, 1, (v) => ({ ...shutter, shape: { ...shape, closing: v / 100 } }), {
              min: 0,
              max: 100 - shape.opening * 100,
              unit: '%',
              digits: 1,
            })}
          </div>
        )}
        <span className="evidence">
          {speed === undefined
            ? 'Measuring this frame.'
            : `Longest streak in this frame: about ${(Math.min(speed, shutter.ceilingPx ?? Infinity) * strength * (shutter.closes - shutter.opens)).toFixed(0)} px, from a vector of ${speed.toFixed(1)} px a frame.`}
        </span>
      </div>
      <StrengthCard />
      <PathCard />
      <SpeedsCard />
      <NeighboursCard />
      <HiddenCard />
      <LooksCard />
      <BlurReport samples={settings.samples} lights={lightsOf(settings, element).map((light) => light.name)} />
    </>
  );
}
