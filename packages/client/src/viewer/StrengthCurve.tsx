import { mostStrength, strengthAt, withKey, type ShutterPlan, type StrengthKey } from '@ivrex/core';
import { useRef, type KeyboardEvent, type PointerEvent, type RefObject } from 'react';

export interface StripScale {
  readonly firstFrame: number;
  readonly lastFrame: number;
  /** Width of a frame, and where the chart's top and base lie; units of the strip's drawing. */
  readonly frameWidth: number;
  readonly top: number;
  readonly base: number;
}

interface Props {
  readonly shutter: ShutterPlan;
  readonly scale: StripScale;
  readonly svg: RefObject<SVGSVGElement | null>;
  readonly onLive: (shutter: ShutterPlan) => void;
  readonly onCommit: (label: string, shutter: ShutterPlan) => void;
}

const MOST = 10;

/** The strength that the top of the strip stands for. */
export function strengthRange(shutter: ShutterPlan): number {
  return Math.max(2, Math.ceil(mostStrength(shutter) * 1.05));
}

/** The frame and strength at a place of the strip. */
export function keyAt(
  event: { clientX: number; clientY: number },
  box: DOMRect,
  scale: StripScale,
  range: number,
): Omit<StrengthKey, 'way'> {
  const { firstFrame, lastFrame, top, base } = scale,
    height = base + 16;
  const frame = firstFrame + Math.floor(((event.clientX - box.left) / box.width) * (lastFrame - firstFrame + 1));
  const y = ((event.clientY - box.top) / box.height) * height;
  return {
    frame: Math.min(lastFrame, Math.max(firstFrame, frame)),
    strength: Math.min(MOST, Math.max(0, Number((((base - y) / (base - top)) * range).toFixed(2)))),
  };
}

/** Strength over the frames as a line in the strip, with its keys: dragged, nudged by arrows, taken away by Delete or a double click. */
export function StrengthCurve({ shutter, scale, svg, onLive, onCommit }: Props) {
  const grabbed = useRef<{ from: StrengthKey; others: readonly StrengthKey[]; range: number; moved: boolean } | null>(null);
  const { firstFrame, lastFrame, frameWidth, top, base } = scale;
  const range = grabbed.current?.range ?? strengthRange(shutter);
  const x = (frame: number) => (frame - firstFrame + 0.5) * frameWidth,
    y = (strength: number) => base - (Math.min(range, strength) / range) * (base - top);
  // A held key steps at the next one.
  const points: string[] = [];
  for (let frame = firstFrame; frame <= lastFrame; frame++) {
    if (frame > firstFrame && shutter.keys.some((k, i) => k.frame === frame && shutter.keys[i - 1]?.way === 'hold'))
      points.push(`${x(frame)},${y(strengthAt(shutter, frame - 1))}`);
    points.push(`${x(frame)},${y(strengthAt(shutter, frame))}`);
  }
  const placed = (event: PointerEvent): ShutterPlan | null => {
    const box = svg.current?.getBoundingClientRect(),
      held = grabbed.current;
    if (!box || held === null) return null;
    const to = keyAt(event, box, scale, held.range);
    // It stays between its neighbours: none is lost under it.
    const from = (held.others.filter((k) => k.frame < held.from.frame).at(-1)?.frame ?? firstFrame - 1) + 1,
      until = (held.others.find((k) => k.frame > held.from.frame)?.frame ?? lastFrame + 1) - 1;
    return { ...shutter, keys: withKey(held.others, { ...held.from, ...to, frame: Math.min(until, Math.max(from, to.frame)) }) };
  };
  const remove = (key: StrengthKey) =>
    onCommit(`Strength key at ${key.frame} taken away`, {
      ...shutter,
      // The last one leaves its strength behind.
      strength: shutter.keys.length === 1 ? key.strength : shutter.strength,
      keys: shutter.keys.filter((k) => k.frame !== key.frame),
    });
  const nudge = (key: StrengthKey) => (event: KeyboardEvent) => {
    const by = (event.shiftKey ? 0.5 : event.altKey ? 0.01 : 0.05) * (event.key === 'ArrowUp' ? 1 : -1),
      step = event.key === 'ArrowLeft' ? -1 : 1;
    const others = shutter.keys.filter((k) => k.frame !== key.frame);
    if (event.key === 'Delete' || event.key === 'Backspace') remove(key);
    else if (event.key === 'ArrowUp' || event.key === 'ArrowDown') {
      const strength = Math.min(MOST, Math.max(0, Number((key.strength + by).toFixed(3))));
      onCommit(`Strength ${strength} at ${key.frame}`, { ...shutter, keys: withKey(others, { ...key, strength }) });
    } else if (event.key === 'ArrowLeft' || event.key === 'ArrowRight') {
      const frame = Math.min(lastFrame, Math.max(firstFrame, key.frame + step));
      if (!others.some((k) => k.frame === frame))
        onCommit(`Strength key moved to ${frame}`, { ...shutter, keys: withKey(others, { ...key, frame }) });
    } else return;
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
          aria-valuemax={MOST}
          onKeyDown={nudge(key)}
          onDoubleClick={(event) => {
            event.stopPropagation();
            remove(key);
          }}
          onPointerDown={(event) => {
            event.stopPropagation();
            event.currentTarget.setPointerCapture(event.pointerId);
            grabbed.current = { from: key, others: shutter.keys.filter((k) => k.frame !== key.frame), range, moved: false };
          }}
          onPointerMove={(event) => {
            event.stopPropagation();
            const next = placed(event);
            if (next === null || grabbed.current === null) return;
            grabbed.current.moved = true;
            onLive(next);
          }}
          onPointerUp={(event) => {
            event.stopPropagation();
            const next = placed(event),
              held = grabbed.current;
            grabbed.current = null;
            if (next !== null && held?.moved === true) onCommit(`Strength key at ${held.from.frame} moved`, next);
          }}
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
