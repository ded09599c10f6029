import type { Pass } from '@ivrex/contract';
import type { Encoding } from '@ivrex/core';
import { useMemo } from 'react';
import { Bar, BarChart, ReferenceLine, ResponsiveContainer, Tooltip, XAxis, YAxis } from 'recharts';
import { rasterOf, useRaster } from '../../viewer/use-raster';
import { useView } from '../../viewer/view-store';
import { measureChannel } from './measure-channel';

/** What the stored values of this frame are: their spread, and the value that most pixels have. */
export function ChannelEvidence({ pass, encoding }: { pass: Pass; encoding: Encoding | null }) {
  const frame = useView((s) => s.frame);
  const raster = rasterOf(useRaster(pass.id, frame, 'planes'));
  const wanted =
    encoding === null ? [] : encoding.sets.slice(0, 1).flatMap((set) => [set.x, set.y, ...(set.length === null ? [] : [set.length])]);
  const measured = useMemo(
    () => (raster === null ? [] : raster.header.names.map((name, i) => ({ name, ...measureChannel(raster.planes[i] as Float32Array) }))),
    [raster],
  );
  const isNamed = (w: string, name: string) => w === name || w.endsWith(`.${name}`);
  // In the order in which the encoding names them: x, y, and the length.
  const shown = wanted.length === 0 ? measured : wanted.flatMap((w) => measured.filter((m) => isNamed(w, m.name)));
  if (shown.length === 0) return <p>{raster === null ? 'Reading the motion pass.' : "None of the encoding's channels is in this pass."}</p>;
  return (
    <div className="card" data-testid="channel-evidence">
      <b>Measured in frame {frame}</b>
      {shown.map((m) =>
        m.max > m.min ? (
          <div key={m.name}>
            <span className="evidence">
              <b>{m.name}</b> runs from {m.min.toPrecision(4)} to {m.max.toPrecision(4)}; {(100 * m.restShare).toFixed(0)} % of the pixels
              hold {m.rest.toPrecision(4)}
              {m.bad > 0 ? `; ${m.bad} are NaN or infinite` : ''}.
            </span>
            <div style={{ height: 46 }}>
              <ResponsiveContainer width="100%" height="100%">
                <BarChart data={m.histogram} margin={{ top: 2, right: 2, bottom: 0, left: 2 }} barCategoryGap={0}>
                  <XAxis dataKey="value" type="number" domain={[m.min, m.max]} hide />
                  <YAxis hide />
                  <Tooltip
                    formatter={(count) => [`${String(count)} pixels`, '']}
                    labelFormatter={(v) => `about ${Number(v).toPrecision(3)}`}
                    separator=""
                    contentStyle={{ background: 'var(--panel)', border: '1px solid var(--line)', fontSize: 12 }}
                  />
                  <Bar dataKey="count" fill="var(--text)" fillOpacity={0.6} isAnimationActive={false} />
                  <ReferenceLine x={m.rest} stroke="var(--accent)" strokeWidth={2} />
                </BarChart>
              </ResponsiveContainer>
            </div>
          </div>
        ) : (
          <span key={m.name} className="evidence">
            <b>{m.name}</b> holds {m.rest.toPrecision(4)} everywhere.
          </span>
        ),
      )}
      <span className="evidence">Bars leave out the value that most pixels hold (amber line).</span>
    </div>
  );
}
