import type { FoundOffset, MadeSource, ShotDetail } from '@ivrex/contract';
import { Select, Spin } from 'antd';
import { useEffect, useState } from 'react';
import { useFoundOffset } from '../../api/made-motion';
import { sentenceOf } from '../../api/request';
import { useShots } from '../../api/shots';
import { DragNumber } from '../../ui/DragNumber';

/** Which other shot's motion is taken: one whose reading is agreed. */
export function RenderSource({ detail, onChange }: { detail: ShotDetail; onChange: (source: MadeSource | null) => void }) {
  const shots = useShots();
  const others = (shots.data ?? []).filter((s) => s.id !== detail.shot.id && (s.step === 'shutter' || s.step === 'deliver'));
  const [picked, setPicked] = useState<string | null>(null),
    [shift, setShift] = useState<number | null>(null);
  const other = others.find((s) => s.id === picked) ?? null;
  const found = useFoundOffset(detail, other && { id: other.id, changedAt: other.changedAt });
  // Measured in the pictures; where they do not tell, both renders start with the animation's first frame.
  const likely = found.isError && other !== null ? other.firstFrame - detail.shot.firstFrame : (found.data?.offset ?? null);
  const offset = shift ?? likely;
  useEffect(
    () => onChange(other === null || offset === null ? null : { kind: 'render', shot: other.id, offset }),
    [other?.id, offset, onChange],
  );
  if (shots.data !== undefined && others.length === 0)
    return (
      <span>
        No other shot has an agreed reading of its motion yet. Bring the other render in as a shot of its own, read its motion, and come
        back.
      </span>
    );
  return (
    <>
      <Select
        size="small"
        aria-label="Which render"
        placeholder="choose the other render"
        value={other?.id ?? null}
        options={others.map((s) => ({
          value: s.id as string,
          label: `${s.name}, ${s.firstFrame} to ${s.lastFrame}, ${s.width} x ${s.height}`,
        }))}
        onChange={(id) => {
          setPicked(id);
          setShift(null);
        }}
      />
      {other !== null && found.isFetching && (
        <div className="row" role="status">
          <Spin size="small" /> <span>Holding its frames against this shot’s.</span>
        </div>
      )}
      {other !== null && offset !== null && (
        <DragNumber
          label={`Its frame is this shot's plus (frame ${detail.shot.firstFrame} is its ${detail.shot.firstFrame + offset})`}
          value={offset}
          step={1}
          digits={0}
          onCommit={setShift}
        />
      )}
      {found.data !== undefined && <OffsetEvidence found={found.data} />}
      {found.isError && <span className="evidence">Its frames could not be matched by the pictures: {sentenceOf(found.error)}</span>}
    </>
  );
}

const SHOWN = 3;

/** What is left of the picture's difference under the offsets that fit best. */
function OffsetEvidence({ found: { frame, isClear, tried } }: { found: FoundOffset }) {
  const worst = Math.max(...tried.map((t) => t.after));
  return (
    <div className="evidence" data-testid="offset-evidence">
      {isClear
        ? `Measured on frame ${frame}: what is left of the picture's difference under its motion, by offset.`
        : `On frame ${frame} the offsets hardly differ: the motion changes little from frame to frame. Check the number.`}
      {tried.slice(0, SHOWN).map(({ offset, after }) => (
        <div className="row" key={offset} style={{ flexWrap: 'nowrap' }}>
          <span style={{ width: 52, textAlign: 'right' }}>{offset > 0 ? `+${offset}` : offset}</span>
          <span className="bar" style={{ width: `${Math.round((55 * after) / worst)}%` }} />
          <span>{after.toFixed(4)}</span>
        </div>
      ))}
    </div>
  );
}
