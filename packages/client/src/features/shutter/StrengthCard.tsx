import { strengthAt, withKey, type KeyWay, type ShutterPlan } from '@ivrex/core';
import { Button, Segmented } from 'antd';
import { DragNumber } from '../../ui/DragNumber';
import { useView } from '../../viewer/view-store';
import { useShotContext } from '../shot/ShotPage';

const WAYS: { value: KeyWay; label: string }[] = [
  { value: 'hold', label: 'Hold' },
  { value: 'linear', label: 'Straight' },
  { value: 'smooth', label: 'Smooth' },
];

/** How strong the blur is, on all frames or keyed over them. */
export function StrengthCard() {
  const { shutter, setLiveShutter, commitShutter } = useShotContext();
  const frame = useView((s) => s.frame),
    set = useView((s) => s.set);
  const { keys } = shutter;
  const here = keys.find((key) => key.frame === frame),
    strength = strengthAt(shutter, frame),
    // A new key goes on as the one before it does.
    way = here?.way ?? [...keys].reverse().find((key) => key.frame < frame)?.way ?? 'smooth';
  const withStrength = (value: number): ShutterPlan =>
    keys.length === 0 ? { ...shutter, strength: value } : { ...shutter, keys: withKey(keys, { frame, strength: value, way }) };
  const before = [...keys].reverse().find((key) => key.frame < frame),
    after = keys.find((key) => key.frame > frame);
  return (
    <div className="card" data-testid="strength-card">
      <div className="row">
        <b>Strength</b>
        <span style={{ flex: 1 }} />
        <Button size="small" disabled={before === undefined} onClick={() => before && set({ frame: before.frame, playing: false })}>
          Key before
        </Button>
        <Button size="small" disabled={after === undefined} onClick={() => after && set({ frame: after.frame, playing: false })}>
          Next key
        </Button>
      </div>
      <div className="grid2">
        <DragNumber
          label={keys.length === 0 ? 'All frames' : here === undefined ? 'Here (makes a key)' : 'Key here'}
          value={strength}
          step={0.01}
          min={0}
          max={10}
          onLive={(v) => setLiveShutter(withStrength(v))}
          onCommit={(v) => commitShutter(`Strength ${v}`, withStrength(v))}
        />
        {here === undefined ? (
          <Button
            size="small"
            style={{ alignSelf: 'end' }}
            onClick={() => commitShutter(`Strength key at ${frame}`, { ...shutter, keys: withKey(keys, { frame, strength, way }) })}
          >
            Key at {frame}
          </Button>
        ) : (
          <Button
            size="small"
            style={{ alignSelf: 'end' }}
            onClick={() =>
              commitShutter(`Strength key at ${frame} taken away`, {
                ...shutter,
                strength: keys.length === 1 ? here.strength : shutter.strength,
                keys: keys.filter((key) => key.frame !== frame),
              })
            }
          >
            Take key away
          </Button>
        )}
      </div>
      {here !== undefined && after !== undefined && (
        <div className="row">
          <span className="quiet">To the next key</span>
          <Segmented
            size="small"
            aria-label="Way to the next key"
            value={here.way}
            options={WAYS}
            onChange={(next) => commitShutter(`Strength goes on ${next}`, { ...shutter, keys: withKey(keys, { ...here, way: next }) })}
          />
        </div>
      )}
      <span className="evidence">
        {keys.length === 0
          ? strength === 1
            ? 'Strength 1 is physically right. Double-click in the strip to key it over the frames.'
            : 'Strength 1 is physically right: this is not what a camera would see.'
          : `${keys.length} ${keys.length === 1 ? 'key' : 'keys'} in the strip: drag them, double-click to add or take away.`}
      </span>
    </div>
  );
}
