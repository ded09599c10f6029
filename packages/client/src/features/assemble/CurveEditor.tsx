import { curveThrough, toGreyAxis, type CurvePoints } from '@ivrex/core';
import { useRef, type KeyboardEvent, type PointerEvent } from 'react';

const WIDTH = 300,
  HEIGHT = 130,
  STEPS = 60,
  LEAST_APART = 0.01;
/** Light that the axis is marked at. */
const MARKS = [0.02, 0.18, 1, 8];

interface Props {
  readonly label: string;
  readonly points: CurvePoints;
  readonly colour: string;
  /** Shares of the pixels along the axis; null while there are none. */
  readonly histogram: readonly number[] | null;
  readonly onLive: (points: CurvePoints) => void;
  readonly onCommit: (points: CurvePoints) => void;
}

/**
 * A curve over the light of the picture, black to highlights on one axis with middle grey in its middle. Points are dragged, nudged by arrows (Shift
 * further), made and taken away by a double click, taken away by Delete.
 */
export function CurveEditor({ label, points, colour, histogram, onLive, onCommit }: Props) {
  const svg = useRef<SVGSVGElement>(null),
    grabbed = useRef<{ index: number; points: CurvePoints } | null>(null);
  const x = (p: number) => p * WIDTH,
    y = (p: number) => (1 - p) * HEIGHT;
  const curve = curveThrough(points);
  const line = Array.from({ length: STEPS + 1 }, (_, i) => `${x(i / STEPS)},${y(curve(i / STEPS))}`).join(' ');
  const at = (event: { clientX: number; clientY: number }) => {
    const box = svg.current?.getBoundingClientRect();
    const share = (v: number) => Math.min(1, Math.max(0, v));
    return box
      ? ([share((event.clientX - box.left) / box.width), share(1 - (event.clientY - box.top) / box.height)] as const)
      : ([0, 0] as const);
  };
  /** Between its neighbours: points stay in order. */
  const placed = (from: CurvePoints, index: number, [px, py]: readonly [number, number]): CurvePoints => {
    const low = index === 0 ? 0 : from[index - 1][0] + LEAST_APART,
      high = index === from.length - 1 ? 1 : from[index + 1][0] - LEAST_APART;
    const round = (v: number) => Number(v.toFixed(4));
    return from.map((p, i) =>
      i === index ? ([round(Math.min(high, Math.max(low, px))), round(Math.min(1, Math.max(0, py)))] as const) : p,
    );
  };
  const without = (index: number) => points.filter((_, i) => i !== index);
  const add = (event: { clientX: number; clientY: number }) => {
    const [px, py] = at(event);
    if (points.some(([ox]) => Math.abs(ox - px) < 2 * LEAST_APART)) return;
    onCommit([...points, [Number(px.toFixed(4)), Number(py.toFixed(4))] as const].sort((a, b) => a[0] - b[0]));
  };
  const nudge = (event: KeyboardEvent, index: number) => {
    const by = event.shiftKey ? 0.05 : 0.005;
    const [dx, dy] = { ArrowLeft: [-by, 0], ArrowRight: [by, 0], ArrowUp: [0, by], ArrowDown: [0, -by] }[event.key] ?? [0, 0];
    if ((event.key === 'Delete' || event.key === 'Backspace') && points.length > 2) onCommit(without(index));
    else if (dx !== 0 || dy !== 0) onCommit(placed(points, index, [points[index][0] + dx, points[index][1] + dy]));
    else return;
    event.preventDefault();
    event.stopPropagation();
  };
  const most = Math.max(1e-9, ...(histogram ?? []));
  return (
    <svg
      ref={svg}
      className="curve"
      viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
      role="group"
      aria-label={`${label} curve`}
      onDoubleClick={add}
      onPointerMove={(event) => {
        if (grabbed.current === null) return;
        onLive(placed(grabbed.current.points, grabbed.current.index, at(event)));
      }}
      onPointerUp={(event) => {
        const held = grabbed.current;
        grabbed.current = null;
        if (held === null) return;
        const next = placed(held.points, held.index, at(event));
        if (JSON.stringify(next) !== JSON.stringify(held.points)) onCommit(next);
      }}
    >
      {histogram?.map((share, i) => (
        <rect
          key={i}
          x={x(i / histogram.length)}
          width={WIDTH / histogram.length}
          y={y(Math.sqrt(share / most) * 0.92)}
          height={HEIGHT * Math.sqrt(share / most) * 0.92}
          className="histogram"
        />
      ))}
      {MARKS.map((light) => (
        <g key={light}>
          <line x1={x(toGreyAxis(light))} x2={x(toGreyAxis(light))} y1={0} y2={HEIGHT} className="grid" />
          <text x={x(toGreyAxis(light)) + 3} y={HEIGHT - 4} className="mark">
            {light}
          </text>
        </g>
      ))}
      <line x1={0} y1={HEIGHT} x2={WIDTH} y2={0} className="grid" />
      <polyline points={line} fill="none" stroke={colour} strokeWidth={2} vectorEffect="non-scaling-stroke" />
      {points.map(([px, py], index) => (
        <circle
          key={index}
          cx={x(px)}
          cy={y(py)}
          r={5}
          className="knob"
          stroke={colour}
          tabIndex={0}
          role="slider"
          aria-label={`${label} curve, point ${index + 1} of ${points.length}`}
          aria-valuemin={0}
          aria-valuemax={1}
          aria-valuenow={py}
          aria-valuetext={`${px.toFixed(2)} becomes ${py.toFixed(2)}`}
          onKeyDown={(event) => nudge(event, index)}
          onDoubleClick={(event) => {
            event.stopPropagation();
            if (points.length > 2) onCommit(without(index));
          }}
          onPointerDown={(event: PointerEvent<SVGCircleElement>) => {
            svg.current?.setPointerCapture(event.pointerId);
            grabbed.current = { index, points };
          }}
        />
      ))}
    </svg>
  );
}
