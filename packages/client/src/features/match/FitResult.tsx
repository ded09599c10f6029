import type { MatchReport } from '@ivrex/contract';
import { shutterAngleDeg } from '@ivrex/core';
import { Button } from 'antd';
import { CartesianGrid, Line, LineChart, ReferenceLine, ResponsiveContainer, Tooltip, XAxis, YAxis } from 'recharts';
import { useView } from '../../viewer/view-store';
import { useShotContext } from '../shot/ShotPage';
import { SHAPE_NAMES } from './shape-names';

/** What was found, how sure it is, and the error at other angles. `now`: the angle that is set, degrees. */
export function FitResult({ report: { match, reference, warnings }, now }: { report: MatchReport; now: number }) {
  const { detail, shutter, commitShutter } = useShotContext();
  const { opens, closes, strength, shape } = match;
  const angle = shutterAngleDeg(match);
  const isTaken =
    Math.abs(shutter.opens - opens) < 1e-4 && Math.abs(shutter.closes - closes) < 1e-4 && Math.abs(shutter.strength - strength) < 1e-4;
  const name = detail.passes.find((p) => p.id === reference)?.name ?? 'a pass that is gone';
  const take = () => {
    commitShutter(`Shutter of ${name}`, { ...shutter, opens, closes, strength, shape });
    const at = detail.passes.find((p) => p.id === reference)?.frames;
    const { frame } = useView.getState();
    useView.setState((s) => ({
      look: 'compare',
      compare: { ...s.compare, a: { kind: 'blurred' }, b: { kind: 'pass', pass: reference, shift: 0 } },
      // Shown where it can be compared.
      ...(at !== undefined && at !== null && !at.includes(frame) ? { frame: match.frames[0].frame, playing: false } : {}),
    }));
  };
  const error = (value: number | null) => (value === null ? ', held' : ` ± ${value.toFixed(3)}`);
  return (
    <div data-testid="fit-result">
      <dl className="facts">
        <dt>Angle</dt>
        <dd data-testid="fit-angle">
          <b>{angle.toFixed(1)}°</b> ± {match.angleErrorDeg.toFixed(1)}
        </dd>
        <dt>Opens, closes</dt>
        <dd>
          {opens.toFixed(3)}
          {error(match.opensError)}; {closes.toFixed(3)}
          {error(match.closesError)}
        </dd>
        {(match.strengthError !== null || strength !== 1) && (
          <>
            <dt>Strength</dt>
            <dd>
              {strength.toFixed(3)}
              {error(match.strengthError)}
            </dd>
          </>
        )}
        {shape.kind !== 'even' && (
          <>
            <dt>Exposure</dt>
            <dd>{SHAPE_NAMES[shape.kind]}</dd>
          </>
        )}
        {match.grade !== null && (
          <>
            <dt>Its grade</dt>
            <dd>
              gain {match.grade.gain.map((v) => v.toFixed(2)).join(' ')}, offset {match.grade.offset.map((v) => v.toFixed(3)).join(' ')}
            </dd>
          </>
        )}
        <dt>What is left</dt>
        <dd>
          {match.residual.toPrecision(2)} of {match.sharpResidual.toPrecision(2)} without blur
        </dd>
        <dt>Sure</dt>
        <dd>{Math.round(match.confidence * 100)} %</dd>
      </dl>
      <ErrorCurve curve={match.curve} found={angle} now={now} />
      <span className="evidence">
        From {name}, {match.frames.length === 1 ? 'frame' : 'frames'} {match.frames.map((f) => f.frame).join(', ')}.
      </span>
      {[...match.notes, ...warnings].map((note) => (
        <div key={note} className="evidence">
          {note}
        </div>
      ))}
      <div className="row">
        <Button
          size="small"
          type={isTaken ? 'default' : 'primary'}
          disabled={isTaken || match.undetermined.includes('everything')}
          onClick={take}
        >
          {isTaken ? 'Taken' : 'Take it'}
        </Button>
      </div>
    </div>
  );
}

function ErrorCurve({ curve, found, now }: { curve: MatchReport['match']['curve']; found: number; now: number }) {
  const tick = { fill: 'var(--quiet)', fontSize: 11 };
  return (
    <figure className="plot">
      <figcaption className="quiet">
        What is left, by shutter angle (found {found.toFixed(0)}°, set now {now.toFixed(0)}°)
      </figcaption>
      <div style={{ height: 110 }}>
        <ResponsiveContainer width="100%" height="100%">
          <LineChart data={[...curve]} margin={{ top: 6, right: 8, bottom: 0, left: -6 }}>
            <CartesianGrid stroke="var(--line)" strokeDasharray="2 4" />
            <XAxis dataKey="angleDeg" type="number" domain={[0, 720]} ticks={[0, 180, 360, 540, 720]} tick={tick} stroke="var(--line)" />
            <YAxis
              tick={tick}
              stroke="var(--line)"
              width={44}
              tickFormatter={(v: number) => String(Number(v.toPrecision(2)))}
              domain={[0, 'auto']}
            />
            <Tooltip
              formatter={(value) => [Number(value).toPrecision(3), 'left']}
              labelFormatter={(label) => `${String(label)}°`}
              contentStyle={{ background: 'var(--panel)', border: '1px solid var(--line)', fontSize: 12 }}
            />
            <ReferenceLine x={now} stroke="var(--quiet)" strokeDasharray="3 3" />
            <ReferenceLine x={found} stroke="var(--accent)" />
            <Line dataKey="residual" stroke="var(--text)" strokeWidth={1.5} dot={false} isAnimationActive={false} />
          </LineChart>
        </ResponsiveContainer>
      </div>
    </figure>
  );
}
