import type { ShotDetail } from '@ivrex/contract';

/** The frames of every sequence on one scale: gaps are holes. */
export function RangeBars({ detail }: { detail: ShotDetail }) {
  const sequences = [...new Map(detail.passes.map((p) => [p.sequenceId, p])).values()].filter(
    (p) => p.frames !== null && p.frames.length > 0,
  );
  if (sequences.length === 0) return null;
  const first = Math.min(...sequences.map((p) => p.frames?.[0] ?? Infinity)),
    last = Math.max(...sequences.map((p) => p.frames?.[p.frames.length - 1] ?? -Infinity));
  const span = last - first + 1;
  return (
    <div className="card ranges">
      <b>
        Frames {first} to {last}
      </b>
      {sequences.map((p) => (
        <div key={p.sequenceId}>
          <div className="row">
            <span className="grow" style={{ overflow: 'hidden', textOverflow: 'ellipsis' }}>
              {p.file}
            </span>
            <span className="quiet">{p.frames?.length}</span>
          </div>
          <div className="range-bar">
            {runs(p.frames ?? []).map(([from, to]) => (
              <i key={from} style={{ left: `${(100 * (from - first)) / span}%`, width: `${(100 * (to - from + 1)) / span}%` }} />
            ))}
          </div>
        </div>
      ))}
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
