import { speedHistogram } from '@ivrex/core';
import { useMemo, useRef, type KeyboardEvent, type PointerEvent } from 'react';
import { arrowOf } from '../../ui/arrow-keys';
import { DragNumber } from '../../ui/DragNumber';
import { useDrag } from '../../ui/use-drag';
import { useView } from '../../viewer/view-store';
import { useShotContext } from '../shot/ShotPage';
import { limitAt, shareBetween, speedAlong, withLimit, type SpeedLimit } from './speed-limits';

const WIDTH = 340,
  HEIGHT = 96,
  LEFT = 10,
  BASE = 74,
  TOP = 8;
const TICKS = [0.1, 0.3, 1, 3, 10, 30, 100, 300, 1000];

/** How many pixels of the frame go how fast, with the speeds below which nothing blurs and above which nothing blurs more. */
export function SpeedsCard() {
  const { shutter, setLiveShutter, commitShutter } = useShotContext();
  const field = useView((s) => s.field);
  const histogram = useMemo(() => (field === null ? null : speedHistogram(field)), [field]);
  const svg = useRef<SVGSVGElement>(null);
  const { floorPx, ceilingPx } = shutter;
  const commit = (limit: SpeedLimit, value: number | null) =>
    commitShutter(limit === 'floorPx' ? 'Speed floor' : 'Speed ceiling', withLimit(shutter, limit, value));
  const limitUnder = (limit: SpeedLimit, event: PointerEvent): number | null => {
    const box = svg.current?.getBoundingClientRect();
    if (box === undefined || histogram === null) return shutter[limit];
    const along = (((event.clientX - box.left) / box.width) * WIDTH - LEFT) / (WIDTH - 2 * LEFT);
    return limitAt(limit, speedAlong(histogram, along), histogram);
  };
  const drag = useDrag<SpeedLimit>({
    onMove: (limit, event) => setLiveShutter(withLimit(shutter, limit, limitUnder(limit, event))),
    onEnd: (limit, event, hasMoved) => {
      if (hasMoved) commit(limit, limitUnder(limit, event));
    },
  });
  if (histogram === null) return null;
  const { edges, counts, fastestPx } = histogram;
  const first = edges[0],
    last = edges[edges.length - 1],
    span = Math.log(last / first);
  const x = (speed: number) => LEFT + (Math.log(Math.min(last, Math.max(first, speed)) / first) / span) * (WIDTH - 2 * LEFT);
  const most = Math.max(1, ...counts);
  const moving = counts.reduce((a, b) => a + b, 0),
    below = shareBetween(histogram, 0, floorPx ?? 0),
    above = ceilingPx === null ? 0 : shareBetween(histogram, ceilingPx, Infinity);
  const handle = (limit: SpeedLimit, value: number | null) => {
    const shown = value ?? (limit === 'floorPx' ? first : last);
    const nudge = (event: KeyboardEvent) => {
      const by = arrowOf(event.key)?.x ?? 0;
      if (by === 0) return;
      event.preventDefault();
      commit(limit, limitAt(limit, shown * 1.1 ** by, histogram));
    };
    return (
      <g
        className="edge"
        role="slider"
        tabIndex={0}
        aria-label={limit === 'floorPx' ? 'Speed floor' : 'Speed ceiling'}
        aria-valuenow={Number(shown.toPrecision(3))}
        aria-valuemin={Number(first.toPrecision(3))}
        aria-valuemax={Number(last.toPrecision(3))}
        aria-valuetext={value === null ? 'off' : `${value} pixels a frame`}
        onKeyDown={nudge}
        onPointerDown={drag.grab(limit)}
      >
        <rect x={x(shown) - 8} y={TOP} width={16} height={BASE - TOP + 6} fill="transparent" />
        <line
          x1={x(shown)}
          x2={x(shown)}
          y1={TOP - 4}
          y2={BASE + 5}
          stroke="var(--accent)"
          strokeWidth={3}
          strokeLinecap="round"
          opacity={value === null ? 0.45 : 1}
        />
      </g>
    );
  };
  const number = (limit: SpeedLimit, label: string, step: number) => (
    <DragNumber
      label={label}
      value={shutter[limit] ?? 0}
      step={step}
      min={0}
      max={100000}
      unit="px"
      digits={2}
      onLive={(v) => setLiveShutter(withLimit(shutter, limit, v))}
      onCommit={(v) => commit(limit, v)}
    />
  );
  return (
    <div className="card" data-testid="speeds-card">
      <b>Speeds in this frame</b>
      <svg ref={svg} className="interval" viewBox={`0 0 ${WIDTH} ${HEIGHT}`} aria-label="Pixels by their speed" {...drag.follow}>
        <rect x={LEFT} y={TOP} width={WIDTH - 2 * LEFT} height={BASE - TOP} fill="var(--strip)" />
        {Array.from(counts, (count, k) => {
          const outside = (floorPx !== null && edges[k + 1] <= floorPx) || (ceilingPx !== null && edges[k] >= ceilingPx);
          const height = Math.sqrt(count / most) * (BASE - TOP - 4);
          return (
            <rect
              key={k}
              x={x(edges[k]) + 0.5}
              y={BASE - height}
              width={Math.max(0.5, x(edges[k + 1]) - x(edges[k]) - 1)}
              height={height}
              fill="var(--text)"
              opacity={outside ? 0.15 : 0.5}
            />
          );
        })}
        {TICKS.filter((t) => t >= first && t <= last).map((t) => (
          <text key={t} x={x(t)} y={HEIGHT - 8} textAnchor="middle" fontSize={11} fill="var(--quiet)">
            {t}
          </text>
        ))}
        {handle('floorPx', floorPx)}
        {handle('ceilingPx', ceilingPx)}
      </svg>
      <div className="grid2">
        {number('floorPx', 'Floor', 0.1)}
        {number('ceilingPx', 'Ceiling', 1)}
      </div>
      <span className="evidence">
        {moving === 0 ? 'Nothing moves in this frame.' : `Pixels a frame; the fastest goes ${fastestPx.toFixed(1)}.`}
        {floorPx === null ? '' : ` Below ${floorPx} px stays sharp (${percent(below)} of what moves).`}
        {ceilingPx === null ? '' : ` Above ${ceilingPx} px blurs as ${ceilingPx} px does (${percent(above)}).`}
        {floorPx === null && ceilingPx === null ? ' Drag the ends to leave slow things sharp or to tame fast ones; 0 is off.' : ''}
      </span>
    </div>
  );
}

function percent(v: number): string {
  return `${(100 * v).toFixed(v < 0.1 ? 1 : 0)} %`;
}
