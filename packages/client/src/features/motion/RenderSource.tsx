import type { MadeSource, ShotDetail } from '@ivrex/contract';
import { Select } from 'antd';
import { useEffect, useState } from 'react';
import { useShots } from '../../api/shots';
import { DragNumber } from '../../ui/DragNumber';

/** Which other shot's motion is taken: one whose reading is agreed. */
export function RenderSource({ detail, onChange }: { detail: ShotDetail; onChange: (source: MadeSource | null) => void }) {
  const shots = useShots();
  const others = (shots.data ?? []).filter((s) => s.id !== detail.shot.id && (s.step === 'shutter' || s.step === 'deliver'));
  const [picked, setPicked] = useState<string | null>(null),
    [shift, setShift] = useState<number | null>(null);
  const other = others.find((s) => s.id === picked) ?? null;
  // Both renders start with the animation's first frame, unless the artist says otherwise.
  const offset = shift ?? (other === null ? 0 : other.firstFrame - detail.shot.firstFrame);
  useEffect(() => onChange(other === null ? null : { kind: 'render', shot: other.id, offset }), [other?.id, offset]);
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
      {other !== null && (
        <DragNumber
          label={`Its frame is this shot's plus (frame ${detail.shot.firstFrame} is its ${detail.shot.firstFrame + offset})`}
          value={offset}
          step={1}
          digits={0}
          onCommit={setShift}
        />
      )}
    </>
  );
}
