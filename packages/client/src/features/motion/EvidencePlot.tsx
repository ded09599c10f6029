import type { MotionReading } from '@ivrex/contract';
import { CartesianGrid, ResponsiveContainer, Scatter, ScatterChart, Tooltip, XAxis, YAxis } from 'recharts';
import { useView } from '../../viewer/view-store';

type Plot = MotionReading['evidence']['plots'][number];

/** Measured motion against the stored value, one axis: the line is the reading; where a curve lies on the data, it bends. */
export function EvidencePlot({ plot, axis, frame }: { plot: Plot; axis: 'x' | 'y'; frame: number }) {
  const set = useView((s) => s.set);
  const fitting = plot.points.filter((p) => p.fits),
    outside = plot.points.filter((p) => !p.fits);
  // The view is the reading's: a few wrong matches must not press it flat.
  const measured = plot.line.map((p) => p.measured),
    low = Math.min(...measured),
    high = Math.max(...measured),
    room = 0.15 * (high - low) + 1;
  const within = (p: Plot['points'][number]) => p.measured > low - room && p.measured < high + room;
  const go = (entry: unknown) => {
    const point = pointOf(entry);
    if (point !== null) set({ frame, playing: false, pins: [...useView.getState().pins, { x: point.x, y: point.y }].slice(-6) });
  };
  return (
    <figure className="plot" data-testid={`plot-${axis}`}>
      <figcaption className="quiet">
        {axis}: measured pixels a frame against what {plot.channel} holds. {fitting.length} fit, {outside.length} do not.
      </figcaption>
      <div style={{ height: 150 }}>
        <ResponsiveContainer width="100%" height="100%">
          <ScatterChart margin={{ top: 6, right: 8, bottom: 0, left: -14 }}>
            <CartesianGrid stroke="var(--line)" strokeDasharray="2 4" />
            <XAxis
              dataKey="stored"
              type="number"
              domain={['auto', 'auto']}
              tick={{ fill: 'var(--quiet)', fontSize: 11 }}
              tickFormatter={(v: number) => String(Number(v.toPrecision(3)))}
              stroke="var(--line)"
            />
            <YAxis
              dataKey="measured"
              type="number"
              domain={['auto', 'auto']}
              tick={{ fill: 'var(--quiet)', fontSize: 11 }}
              tickFormatter={(v: number) => v.toFixed(0)}
              stroke="var(--line)"
            />
            <Tooltip
              formatter={(value, name) => [Number(value).toFixed(3), name === 'stored' ? 'stored' : 'pixels a frame']}
              contentStyle={{ background: 'var(--panel)', border: '1px solid var(--line)', fontSize: 12 }}
            />
            <Scatter
              data={[...plot.line]}
              line={{ stroke: 'var(--accent)', strokeWidth: 1.5 }}
              shape={() => <g />}
              isAnimationActive={false}
              tooltipType="none"
            />
            <Scatter
              data={outside.filter(within)}
              fill="var(--bad)"
              fillOpacity={0.7}
              shape={<Dot />}
              isAnimationActive={false}
              onClick={go}
            />
            <Scatter data={fitting} fill="var(--text)" fillOpacity={0.65} shape={<Dot />} isAnimationActive={false} onClick={go} />
          </ScatterChart>
        </ResponsiveContainer>
      </div>
    </figure>
  );
}

function Dot({ cx, cy, fill, fillOpacity }: { cx?: number; cy?: number; fill?: string; fillOpacity?: number }) {
  return <circle cx={cx} cy={cy} r={2.2} fill={fill} fillOpacity={fillOpacity} style={{ cursor: 'pointer' }} />;
}

/** The chart hands out what it drew; its data lie under `payload`. */
function pointOf(entry: unknown): { x: number; y: number } | null {
  const payload = typeof entry === 'object' && entry !== null && 'payload' in entry ? entry.payload : null;
  if (typeof payload !== 'object' || payload === null || !('x' in payload) || !('y' in payload)) return null;
  return typeof payload.x === 'number' && typeof payload.y === 'number' ? { x: payload.x, y: payload.y } : null;
}
