import { exposureAt, type ExposureShape, type ShutterPlan } from '@ivrex/core';
import { useRef, type KeyboardEvent, type PointerEvent } from 'react';
import { arrowOf } from '../../ui/arrow-keys';
import { useDrag } from '../../ui/use-drag';
import { movedExposure, type ExposurePart } from './move-exposure';

const WIDTH = 340,
  HEIGHT = 104,
  LEFT = 14,
  SPAN = 2.2,
  BASE = 74,
  TOP = 22;

interface Props {
  readonly shutter: ShutterPlan;
  readonly onLive: (shutter: ShutterPlan) => void;
  readonly onCommit: (shutter: ShutterPlan) => void;
}

function xOf(t: number): number {
  return LEFT + ((t + SPAN / 2) / SPAN) * (WIDTH - 2 * LEFT);
}

const CURVE_STEPS = 32;

/** The light that comes in over the exposure, as an area. */
function exposureOutline({ opens, closes, shape = EVEN }: ShutterPlan): string {
  const left = xOf(opens),
    width = Math.max(1, xOf(closes) - left),
    height = BASE - TOP - 6;
  const at = (u: number) => `${(left + u * width).toFixed(2)} ${(BASE - 3 - exposureAt(shape, u) * height).toFixed(2)}`;
  const inner =
    shape.kind === 'bell'
      ? Array.from({ length: CURVE_STEPS + 1 }, (_, k) => k / CURVE_STEPS)
      : shape.kind === 'ramps'
        ? [0, shape.opening, 1 - shape.closing, 1]
        : [0, 1];
  return `M ${left.toFixed(2)} ${BASE - 3} L ${inner.map(at).join(' L ')} L ${(left + width).toFixed(2)} ${BASE - 3} Z`;
}

const EVEN: ExposureShape = { kind: 'even' };

/** The time around the frame with the exposure drawn on it. Its edges are dragged; its middle moves the whole. */
export function IntervalStrip({ shutter, onLive, onCommit }: Props) {
  const svg = useRef<SVGSVGElement>(null);
  const timeAt = (event: PointerEvent) => {
    const box = svg.current?.getBoundingClientRect();
    return box ? ((((event.clientX - box.left) / box.width) * WIDTH - LEFT) / (WIDTH - 2 * LEFT)) * SPAN - SPAN / 2 : 0;
  };
  const drag = useDrag<{ part: ExposurePart; from: number; shutter: ShutterPlan }>({
    onMove: (held, event) => onLive(movedExposure(held.part, held.shutter, timeAt(event) - held.from)),
    onEnd: (_held, _event, hasMoved) => {
      if (hasMoved) onCommit(shutter);
    },
  });
  const grab = (part: ExposurePart) => (event: PointerEvent) => drag.grab({ part, from: timeAt(event), shutter })(event);
  const nudge = (part: ExposurePart) => (event: KeyboardEvent) => {
    const by = arrowOf(event.key)?.x ?? 0;
    if (by === 0) return;
    event.preventDefault();
    onCommit(movedExposure(part, shutter, by * (event.shiftKey ? 0.1 : 0.01)));
  };
  const edge = (part: 'opens' | 'closes', t: number) => (
    <g
      className="edge"
      onPointerDown={grab(part)}
      onKeyDown={nudge(part)}
      tabIndex={0}
      role="slider"
      aria-label={part === 'opens' ? 'Shutter opens' : 'Shutter closes'}
      aria-valuenow={Number(t.toFixed(3))}
      aria-valuemin={-1}
      aria-valuemax={1}
    >
      <rect x={xOf(t) - 9} y={TOP - 8} width={18} height={BASE - TOP + 16} fill="transparent" />
      <line x1={xOf(t)} x2={xOf(t)} y1={TOP - 6} y2={BASE + 6} stroke="var(--accent)" strokeWidth={3} strokeLinecap="round" />
    </g>
  );
  return (
    <svg
      ref={svg}
      className="interval"
      viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
      {...drag.follow}
      aria-label="Exposure within the frame interval"
      data-testid="interval"
    >
      <rect x={xOf(-1)} y={TOP} width={xOf(1) - xOf(-1)} height={BASE - TOP} fill="var(--strip)" />
      {[-1, -0.5, 0, 0.5, 1].map((t) => (
        <g key={t}>
          <line
            x1={xOf(t)}
            x2={xOf(t)}
            y1={t === 0 ? TOP - 12 : TOP}
            y2={BASE}
            stroke={t === 0 ? 'var(--text)' : 'var(--line)'}
            strokeWidth={t === 0 ? 1.4 : 1}
          />
          <text x={xOf(t)} y={HEIGHT - 12} textAnchor="middle" fontSize={11} fill="var(--quiet)">
            {t === 0 ? 'the frame' : t === -1 ? 'before' : t === 1 ? 'next' : t > 0 ? `+${t}` : t}
          </text>
        </g>
      ))}
      <path className="edge" d={exposureOutline(shutter)} fill="var(--accent)" opacity={0.45} onPointerDown={grab('both')} />
      {edge('opens', shutter.opens)}
      {edge('closes', shutter.closes)}
    </svg>
  );
}
