import { InputNumber } from 'antd';
import { useEffect, useRef, useState, type KeyboardEvent, type PointerEvent } from 'react';

interface Props {
  readonly label: string;
  readonly value: number;
  readonly step: number;
  readonly min?: number;
  readonly max?: number;
  readonly unit?: string;
  readonly digits?: number;
  /** While it moves. */
  readonly onLive?: (value: number) => void;
  /** When it rests: this is what is kept. */
  readonly onCommit: (value: number) => void;
}

/** A number that can be dragged by its label, typed, and nudged by arrows (Shift ten times as far, Alt a tenth). */
export function DragNumber({ label, value, step, min = -Infinity, max = Infinity, unit, digits = 3, onLive, onCommit }: Props) {
  const [shown, setShown] = useState<number | null>(null);
  const start = useRef<{ x: number; value: number } | null>(null);
  const latest = useRef(value),
    /** The value before it moved: while it moves the shown picture, and so `value`, follows. */
    kept = useRef(value);
  const limit = (v: number) => Number(Math.min(max, Math.max(min, v)).toFixed(digits));
  useEffect(() => {
    latest.current = shown ?? value;
  });
  const live = (v: number) => {
    const limited = limit(v);
    if (shown === null) kept.current = value;
    latest.current = limited;
    setShown(limited);
    onLive?.(limited);
  };
  const commit = () => {
    if (shown !== null && latest.current !== kept.current) onCommit(latest.current);
    setShown(null);
  };
  const nudge = (event: KeyboardEvent) => {
    if (event.key === 'Enter') commit();
    if (event.key !== 'ArrowUp' && event.key !== 'ArrowDown') return;
    event.preventDefault();
    const by = step * (event.shiftKey ? 10 : event.altKey ? 0.1 : 1) * (event.key === 'ArrowUp' ? 1 : -1);
    live(latest.current + by);
  };
  const drag = (event: PointerEvent<HTMLSpanElement>) => {
    if (start.current !== null)
      live(start.current.value + Math.round((event.clientX - start.current.x) / 3) * step * (event.shiftKey ? 10 : event.altKey ? 0.1 : 1));
  };
  return (
    <div className="field">
      <span
        className="label"
        style={{ cursor: 'ew-resize', touchAction: 'none', userSelect: 'none' }}
        title="Drag to change"
        onPointerDown={(e) => {
          e.currentTarget.setPointerCapture(e.pointerId);
          start.current = { x: e.clientX, value };
        }}
        onPointerMove={drag}
        onPointerUp={() => {
          start.current = null;
          commit();
        }}
      >
        {label}
      </span>
      <InputNumber
        size="small"
        aria-label={label}
        value={shown ?? Number(value.toFixed(digits))}
        keyboard={false}
        controls={false}
        min={min}
        max={max}
        {...(unit === undefined ? {} : { suffix: unit })}
        style={{ width: '100%' }}
        onChange={(v) => {
          if (typeof v === 'number') live(v);
        }}
        onKeyDown={nudge}
        onBlur={commit}
      />
    </div>
  );
}
