import { shutterOfElement, type Element } from '@ivrex/contract';
import { findHighlight, halfToNumber, strengthAt, streakLight, type StreakLight } from '@ivrex/core';
import { useDeferredValue, useMemo } from 'react';
import { Line, LineChart, ResponsiveContainer, XAxis, YAxis } from 'recharts';
import { rasterOf, useRaster } from '../../viewer/use-raster';
import { useView } from '../../viewer/view-store';
import { useTuned } from './use-tuning';

/** What grading before or after the blur does to the streak of this frame's brightest moving highlight. */
export function StreakPlot({ element }: { element: Element }) {
  // The picture comes first.
  const settings = useDeferredValue(useTuned());
  const grade = settings.elements.find((e) => e.id === element.id)?.place.grade ?? null;
  const frame = useView((s) => s.frame),
    field = useView((s) => s.field);
  const beauty = rasterOf(useRaster(element.beauty, frame, 'picture'));
  const shutter = shutterOfElement(settings, element);
  const open = (shutter.closes - shutter.opens) * strengthAt(shutter, frame);
  const halves = beauty?.planes[0] as Uint16Array | undefined,
    width = beauty?.header.width ?? 0;
  const rgba = useMemo(() => (halves === undefined ? null : Float32Array.from(halves, halfToNumber)), [halves]);
  const highlight = useMemo(
    () =>
      rgba === null || field === null || field.width !== width || field.valid.length * 4 !== rgba.length
        ? null
        : findHighlight(rgba, field.toNext, field.valid, width, open),
    [rgba, field, width, open],
  );
  if (highlight === null || rgba === null) return <span className="evidence">No highlight of this frame leaves a streak to compare.</span>;
  const light = streakLight(rgba, width, highlight, grade);
  const peak = (of: (l: StreakLight) => number) => Math.max(...light.map(of));
  const before = peak((l) => l.before),
    after = peak((l) => l.after);
  return (
    <figure className="plot" data-testid="streak-plot">
      <figcaption>
        The streak of the highlight at {Math.floor(highlight.x)}, {Math.floor(highlight.y)}
      </figcaption>
      <ResponsiveContainer width="100%" height={92}>
        <LineChart data={light} margin={{ top: 4, right: 8, bottom: 0, left: -18 }}>
          <XAxis dataKey="along" type="number" domain={['dataMin', 'dataMax']} tick={{ fontSize: 10 }} tickCount={5} unit=" px" />
          <YAxis tick={{ fontSize: 10 }} width={48} tickCount={3} />
          <Line dataKey="before" dot={false} stroke="var(--accent)" strokeWidth={2} isAnimationActive={false} />
          <Line dataKey="after" dot={false} stroke="var(--quiet)" strokeWidth={2} strokeDasharray="4 3" isAnimationActive={false} />
        </LineChart>
      </ResponsiveContainer>
      <span className="evidence">
        {grade === null
          ? `Its light reaches ${before.toFixed(2)}. Ungraded, both ways are the same.`
          : `Graded before the blur (line) it reaches ${before.toFixed(2)}, after (dashes) ${after.toFixed(2)}${sentence(before, after)}`}
      </span>
    </figure>
  );
}

function sentence(before: number, after: number): string {
  const ratio = before / Math.max(1e-6, after);
  if (ratio > 1.1) return `: before, as light does it, the streak is ${ratio.toFixed(1)} times as bright.`;
  if (ratio < 0.9) return `: before, as light does it, the streak is ${(1 / ratio).toFixed(1)} times darker.`;
  return ': hardly a difference with this grade.';
}
