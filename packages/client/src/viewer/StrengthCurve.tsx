import { strengthAt, type ShutterPlan, type StrengthKey } from '@ivrex/core';
import type { KeyboardEvent, PointerEvent, RefObject } from 'react';
import { arrowOf } from '../ui/arrow-keys';
import { useDrag } from '../ui/use-drag';
import { keyAt, MOST_STRENGTH, movedKey, nudgedKey, strengthRange, withoutKey, type KeyChange, type StripScale } from './strength-keys';

interface Props {
  readonly shutter: ShutterPlan;
  readonly scale: StripScale;
  readonly svg: RefObject<SVGSVGElement | null>;
  readonly onLive: (shutter: ShutterPlan) => void;
  readonly onCommit: (label: string, shutter: ShutterPlan) => void;
}

/** A key that is dragged, the shutter before, and what the strip's top stood for then. */
interface Held {
  readonly before: ShutterPlan;
  readonly key: StrengthKey;
  readonly range: number;
}

/** Strength over the frames as a line in the strip, with its keys: dragged, nudged by arrows, taken away by Delete or a double click. */
export function StrengthCurve({ shutter, scale, svg, onLive, onCommit }: Props) {
  const { firstFrame, lastFrame, frameWidth, top, base } = scale;
  const placed = ({ before, key, range }: Held, event: PointerEvent): ShutterPlan | null => {
    const box = svg.current?.getBoundingClientRect();
    return box === undefined ? null : movedKey(before, key, keyAt(event, box, scale, range), scale);
  };
  const drag = useDrag<Held>({
    onMove: (held, event) => {
      const next = placed(held, event);
      if (next !== null) onLive(next);
    },
    onEnd: (held, event, hasMoved) => {
      const next = placed(held, event);
      if (next !== null && hasMoved) onCommit(`Strength key at ${held.key.frame} moved`, next);
    },
  });
  const range = drag.held()?.range ?? strengthRange(shutter);
  const x = (frame: number) => (frame - firstFrame + 0.5) * frameWidth,
    y = (strength: number) => base - (Math.min(range, strength) / range) * (base - top);
  // A held key steps at the next one.
  const points: string[] = [];
  for (let frame = firstFrame; frame <= lastFrame; frame++) {
    if (frame > firstFrame && shutter.keys.some((k, i) => k.frame === frame && shutter.keys[i - 1]?.way === 'hold'))
      points.push(`${x(frame)},${y(strengthAt(shutter, frame - 1))}`);
    points.push(`${x(frame)},${y(strengthAt(shutter, frame))}`);
  }
  const commit = ({ label, shutter: next }: KeyChange) => onCommit(label, next);
  const nudge = (key: StrengthKey) => (event: KeyboardEvent) => {
    const change = nudgedKey(shutter, key, event, scale);
    if (change !== null) commit(change);
    else if (arrowOf(event.key) === null) return;
    event.preventDefault();
    event.stopPropagation();
  };
  return (
    <g data-testid="strength-curve">
      <line
        x1={0}
        x2={(lastFrame - firstFrame + 1) * frameWidth}
        y1={y(1)}
        y2={y(1)}
        stroke="var(--line)"
        vectorEffect="non-scaling-stroke"
      />
      <polyline points={points.join(' ')} fill="none" stroke="var(--accent)" strokeWidth={2} vectorEffect="non-scaling-stroke" />
      {shutter.keys.map((key, index) => (
        <g
          // Its frame changes while it is dragged, its place among the others does not.
          key={index}
          className="strength-key"
          role="slider"
          tabIndex={0}
          aria-label={`Strength key at frame ${key.frame}`}
          aria-valuenow={key.strength}
          aria-valuemin={0}
          aria-valuemax={MOST_STRENGTH}
          onKeyDown={nudge(key)}
          onDoubleClick={(event) => {
            event.stopPropagation();
            commit(withoutKey(shutter, key));
          }}
          onPointerDown={drag.grab({ before: shutter, key, range })}
          {...drag.follow}
        >
          <title>{`Frame ${key.frame}: strength ${key.strength}, ${key.way} to the next. Drag; double-click takes it away.`}</title>
          {/* A line without length and with round ends is a dot that the stretched drawing does not stretch. */}
          <line {...at(x(key.frame), y(key.strength))} stroke="transparent" strokeWidth={20} />
          <line {...at(x(key.frame), y(key.strength))} className="dot" stroke="var(--accent)" strokeWidth={11} />
          <line {...at(x(key.frame), y(key.strength))} stroke="var(--strip)" strokeWidth={5} />
        </g>
      ))}
    </g>
  );
}

function at(x: number, y: number) {
  return { x1: x, x2: x, y1: y, y2: y, strokeLinecap: 'round', vectorEffect: 'non-scaling-stroke' } as const;
}
