import { curveThrough, toGreyAxis, type CurvePoints } from '@ivrex/core';
import { useRef, type KeyboardEvent } from 'react';
import { useDrag } from '../../ui/use-drag';
import { movedPoint, nudgedPoint, withoutPoint, withPoint } from './curve-points';

const WIDTH = 300,
  HEIGHT = 130,
  STEPS = 60;
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
  const svg = useRef<SVGSVGElement>(null);
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
  const commit = (next: CurvePoints | null) => {
    if (next !== null) onCommit(next);
  };
  const drag = useDrag<{ index: number; points: CurvePoints }>({
    onMove: (held, event) => onLive(movedPoint(held.points, held.index, at(event))),
    onEnd: (held, event, hasMoved) => {
      if (hasMoved) onCommit(movedPoint(held.points, held.index, at(event)));
    },
  });
  const nudge = (event: KeyboardEvent, index: number) => {
    const next = nudgedPoint(points, index, event);
    if (next === null) return;
    onCommit(next);
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
      onDoubleClick={(event) => commit(withPoint(points, at(event)))}
      {...drag.follow}
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
            commit(withoutPoint(points, index));
          }}
          onPointerDown={drag.grab({ index, points })}
        />
      ))}
    </svg>
  );
}
