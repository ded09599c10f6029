import { DeleteOutlined } from '@ant-design/icons';
import type { VectorSet } from '@ivrex/core';
import { Button, Select, Tooltip } from 'antd';

interface Props {
  readonly index: number;
  readonly set: VectorSet;
  readonly channels: readonly string[];
  readonly onChange: (set: VectorSet) => void;
  readonly onRemove?: () => void;
}

/** Stretches of time that renderers write; anything else comes in by a document. */
const COVERS: { label: string; covers: VectorSet['covers'] }[] = [
  { label: 'from this frame to the next', covers: { from: 0, to: 1, unit: 'frames' } },
  { label: 'from the frame before to this one', covers: { from: -1, to: 0, unit: 'frames' } },
  { label: 'from this frame back to the one before', covers: { from: 0, to: -1, unit: 'frames' } },
  { label: 'half a frame, from this frame on', covers: { from: 0, to: 0.5, unit: 'frames' } },
  { label: 'half a frame around this frame', covers: { from: -0.25, to: 0.25, unit: 'frames' } },
  { label: 'one second', covers: { from: 0, to: 1, unit: 'seconds' } },
];

/** One vector set: its channels and the stretch of time that it covers. */
export function SetCard({ index, set, channels, onChange, onRemove }: Props) {
  const options = channels.map((value) => ({ value, label: value }));
  const known = COVERS.findIndex(({ covers: c }) => c.from === set.covers.from && c.to === set.covers.to && c.unit === set.covers.unit);
  const text = `${set.covers.from} to ${set.covers.to} ${set.covers.unit}`;
  const label = (what: string) => `${what} of set ${index + 1}`;
  return (
    <div style={{ display: 'grid', gap: 6 }}>
      <div className="row" style={{ flexWrap: 'nowrap' }}>
        <Select
          className="grow"
          size="small"
          aria-label={label('x')}
          prefix="x"
          value={set.x}
          options={options}
          onChange={(x) => onChange({ ...set, x })}
        />
        <Select
          className="grow"
          size="small"
          aria-label={label('y')}
          prefix="y"
          value={set.y}
          options={options}
          onChange={(y) => onChange({ ...set, y })}
        />
        {onRemove && (
          <Tooltip title="This set is not motion">
            <Button size="small" aria-label={`Remove set ${index + 1}`} icon={<DeleteOutlined />} onClick={onRemove} />
          </Tooltip>
        )}
      </div>
      <Select
        size="small"
        aria-label={label('Stretch of time')}
        value={known < 0 ? -1 : known}
        options={[
          ...COVERS.map((c, value) => ({ value, label: `covers: ${c.label}` })),
          ...(known < 0 ? [{ value: -1, label: `covers: ${text}` }] : []),
        ]}
        onChange={(i: number) => {
          if (i >= 0) onChange({ ...set, covers: COVERS[i].covers });
        }}
      />
      <Select
        size="small"
        aria-label={label('Length channel')}
        value={set.length ?? ''}
        options={[
          { value: '', label: 'x and y hold the vector itself' },
          ...channels.map((c) => ({ value: c, label: `x and y hold a direction, ${c} its length` })),
        ]}
        onChange={(length) => onChange({ ...set, length: length === '' ? null : length })}
      />
    </div>
  );
}
