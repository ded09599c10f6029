import { roleOf, type Pass, type ShotDetail } from '@ivrex/contract';
import { Button, Tooltip } from 'antd';
import { useRef, useState, type KeyboardEvent, type PointerEvent } from 'react';

interface Props {
  readonly detail: ShotDetail;
  readonly onOffset: (pass: Pass, offset: number) => void;
}

/** The frames of every sequence on one scale: gaps are holes, and a bar that lies wrong is dragged to where it belongs. */
export function RangeBars({ detail, onOffset }: Props) {
  const sequences = [...new Map(detail.passes.map((p) => [p.sequenceId, p])).values()].filter(
    (p) => p.frames !== null && p.frames.length > 0,
  );
  if (sequences.length === 0) return null;
  const first = Math.min(...sequences.map((p) => p.frames?.[0] ?? Infinity)) - 1,
    last = Math.max(...sequences.map((p) => p.frames?.[p.frames.length - 1] ?? -Infinity)) + 1;
  return (
    <div className="card ranges">
      <b>
        Frames {first + 1} to {last - 1}
      </b>
      {sequences.map((p) => (
        <RangeBar key={p.sequenceId} pass={p} detail={detail} first={first} span={last - first + 1} onOffset={onOffset} />
      ))}
      <span className="quiet">Drag a bar, or use the arrow keys on it, to shift a pass against the others.</span>
    </div>
  );
}

function RangeBar({ pass, detail, first, span, onOffset }: Props & { pass: Pass; first: number; span: number }) {
  const bar = useRef<HTMLDivElement>(null),
    from = useRef<number | null>(null);
  const [drag, setDrag] = useState(0);
  const frames = pass.frames ?? [];
  const broken = detail.findings.flatMap((f) =>
    f.severity === 'error' && f.frame !== null && f.sequenceId === pass.sequenceId ? [f.frame] : [],
  );
  const framesOf = (px: number) => Math.round((px / (bar.current?.clientWidth ?? 1)) * span);
  const down = (event: PointerEvent<HTMLDivElement>) => {
    event.currentTarget.setPointerCapture(event.pointerId);
    from.current = event.clientX;
  };
  const move = (event: PointerEvent<HTMLDivElement>) => {
    if (from.current !== null) setDrag(framesOf(event.clientX - from.current));
  };
  const up = () => {
    if (from.current !== null && drag !== 0) onOffset(pass, pass.offset - drag);
    from.current = null;
    setDrag(0);
  };
  const key = (event: KeyboardEvent) => {
    if (event.key !== 'ArrowLeft' && event.key !== 'ArrowRight') return;
    event.preventDefault();
    event.stopPropagation();
    onOffset(pass, pass.offset + (event.key === 'ArrowLeft' ? 1 : -1) * (event.shiftKey ? 10 : 1));
  };
  const place = (frame: number, count: number) => ({
    left: `${(100 * (frame + drag - first)) / span}%`,
    width: `${(100 * count) / span}%`,
  });
  const shift = pass.offset - drag;
  return (
    <div>
      <div className="row" style={{ flexWrap: 'nowrap' }}>
        <span className="grow range-name" title={pass.file}>
          {pass.file}
        </span>
        {shift !== 0 && (
          <Tooltip title="Take the numbers as they are in the files">
            <Button size="small" type="text" onClick={() => onOffset(pass, 0)}>
              {`number ${shift > 0 ? '+' : ''}${shift}`}
            </Button>
          </Tooltip>
        )}
        <span className="quiet">{frames.length}</span>
      </div>
      <div
        ref={bar}
        className={`range-bar${roleOf(detail.settings, pass) === 'beauty' ? ' main' : ''}`}
        role="slider"
        tabIndex={0}
        aria-label={`Frames of ${pass.file}`}
        aria-valuenow={pass.offset}
        aria-valuetext={`frames ${frames[0]} to ${frames[frames.length - 1]}, shifted by ${-pass.offset}`}
        onPointerDown={down}
        onPointerMove={move}
        onPointerUp={up}
        onKeyDown={key}
      >
        {runs(frames).map(([a, b]) => (
          <i key={a} style={place(a, b - a + 1)} />
        ))}
        {broken.map((frame) => (
          <i key={`broken-${frame}`} className="broken" style={place(frame, 1)} />
        ))}
      </div>
    </div>
  );
}

function runs(frames: readonly number[]): [number, number][] {
  const out: [number, number][] = [];
  for (const f of frames) {
    const run = out[out.length - 1];
    if (run !== undefined && run[1] === f - 1) run[1] = f;
    else out.push([f, f]);
  }
  return out;
}
