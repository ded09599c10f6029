import { InputNumber } from 'antd';
import { useEffect, useRef, useState, type KeyboardEvent } from 'react';
import { dragged, limited, nudged } from './number-steps';
import { useDrag } from './use-drag';

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
  const latest = useRef(value),
    /** The value before it moved: while it moves the shown picture, and so `value`, follows. */
    kept = useRef(value);
  const steps = { step, min, max, digits };
  useEffect(() => {
    latest.current = shown ?? value;
  });
  const live = (v: number) => {
    if (shown === null) kept.current = value;
    latest.current = v;
    setShown(v);
    onLive?.(v);
  };
  const commit = () => {
    if (shown !== null && latest.current !== kept.current) onCommit(latest.current);
    setShown(null);
  };
  const nudge = (event: KeyboardEvent) => {
    if (event.key === 'Enter') commit();
    const next = nudged(latest.current, event.key, event, steps);
    if (next === null) return;
    event.preventDefault();
    live(next);
  };
  const drag = useDrag<{ x: number; value: number }>({
    onMove: (start, event) => live(dragged(start.value, event.clientX - start.x, event, steps)),
    onEnd: commit,
  });
  return (
    <div className="field">
      <span
        className="label"
        style={{ cursor: 'ew-resize', touchAction: 'none', userSelect: 'none' }}
        title="Drag to change"
        onPointerDown={(event) => drag.grab({ x: event.clientX, value })(event)}
        {...drag.follow}
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
          if (typeof v === 'number') live(limited(v, steps));
        }}
        onKeyDown={nudge}
        onBlur={commit}
      />
    </div>
  );
}
