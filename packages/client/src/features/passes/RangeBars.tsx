import { roleOf, type Pass, type ShotDetail } from '@ivrex/contract';
import { Button, Tooltip } from 'antd';
import { useRef, useState, type KeyboardEvent } from 'react';
import { arrowOf } from '../../ui/arrow-keys';
import { useDrag } from '../../ui/use-drag';

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
  const bar = useRef<HTMLDivElement>(null);
  const [moved, setMoved] = useState(0);
  const frames = pass.frames ?? [];
  const broken = detail.findings.flatMap((f) =>
    f.severity === 'error' && f.frame !== null && f.sequenceId === pass.sequenceId ? [f.frame] : [],
  );
  const framesOf = (px: number) => Math.round((px / (bar.current?.clientWidth ?? 1)) * span);
  const drag = useDrag<{ x: number }>({
    onMove: ({ x }, event) => setMoved(framesOf(event.clientX - x)),
    onEnd: () => {
      if (moved !== 0) onOffset(pass, pass.offset - moved);
      setMoved(0);
    },
  });
  const key = (event: KeyboardEvent) => {
    const by = arrowOf(event.key)?.x ?? 0;
    if (by === 0) return;
    event.preventDefault();
    event.stopPropagation();
    onOffset(pass, pass.offset - by * (event.shiftKey ? 10 : 1));
  };
  const place = (frame: number, count: number) => ({
    left: `${(100 * (frame + moved - first)) / span}%`,
    width: `${(100 * count) / span}%`,
  });
  const shift = pass.offset - moved;
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
        onPointerDown={(event) => drag.grab({ x: event.clientX })(event)}
        {...drag.follow}
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
