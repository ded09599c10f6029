import { AimOutlined, CompressOutlined, UndoOutlined } from '@ant-design/icons';
import { roleOf, type ShotDetail } from '@ivrex/contract';
import { Button, Segmented, Select, Slider, Tooltip } from 'antd';
import { useShallow } from 'zustand/react/shallow';
import { isPlanLook, PLAN_LOOK_NAMES } from './plan-looks';
import { isViewNeutral, useView, type ChannelView, type Look, type Under } from './view-store';

const LOOKS: { value: Look; label: string; tip: string }[] = [
  { value: 'contact', label: 'All', tip: 'Every pass at once (A)' },
  { value: 'sharp', label: 'Sharp', tip: 'The beauty as rendered (S)' },
  { value: 'blurred', label: 'Blurred', tip: 'Under the shutter (B)' },
  { value: 'wipe', label: 'Wipe', tip: 'Sharp left, blurred right; drag the edge (W)' },
  { value: 'directions', label: 'Directions', tip: 'Direction as colour, speed as strength (D)' },
  { value: 'speed', label: 'Speed', tip: 'Slow is dark, fast is bright (H)' },
  {
    value: 'residual',
    label: 'Proof',
    tip: 'What the vectors leave unexplained: the next frame fetched back along them, less this one (R)',
  },
];

/** How the picture is looked at. Nothing here changes a pixel of the delivery. */
export function ViewerBar({ detail, onOneToOne }: { detail: ShotDetail; onOneToOne: () => void }) {
  const view = useView(
    useShallow(({ look, shownPass, needles, under, channel, exposure, gamma, saturation, set }) => ({
      look,
      shownPass,
      needles,
      under,
      channel,
      exposure,
      gamma,
      saturation,
      set,
    })),
  );
  const hasPlate = detail.passes.some((p) => roleOf(detail.settings, p) === 'plate');
  const shown = detail.passes.find((p) => p.id === view.shownPass);
  const options = [
    ...LOOKS.map(({ value, label, tip }) => ({ value, label: <Tooltip title={tip}>{label}</Tooltip> })),
    ...(view.look === 'pass' && shown ? [{ value: 'pass' as const, label: shown.name }] : []),
    ...(isPlanLook(view.look) ? [{ value: view.look, label: PLAN_LOOK_NAMES[view.look] }] : []),
    ...(view.look === 'compare' ? [{ value: 'compare' as const, label: 'A and B' }] : []),
    ...(view.look === 'assembled' || detail.settings.elements.length > 1
      ? [{ value: 'assembled' as const, label: <Tooltip title="All elements over the plate (V)">Assembled</Tooltip> }]
      : []),
    ...(view.look === 'trust' ? [{ value: 'trust' as const, label: 'Trust' }] : []),
    ...(view.look === 'difference' ? [{ value: 'difference' as const, label: 'To the still' }] : []),
  ];
  return (
    <div className="viewer-bar" role="toolbar" aria-label="View">
      <Segmented size="small" value={view.look} options={options} onChange={(look) => view.set({ look })} />
      <Tooltip title="Needles: from where a point is to where it will be (N)">
        <Button
          size="small"
          type={view.needles ? 'primary' : 'default'}
          aria-pressed={view.needles}
          onClick={() => view.set({ needles: !view.needles })}
        >
          Needles
        </Button>
      </Tooltip>
      <Select
        size="small"
        aria-label="What lies under alpha"
        value={view.under}
        style={{ width: 92 }}
        onChange={(under: Under) => view.set({ under })}
        options={[
          { value: 'checker', label: 'Checker' },
          { value: 'black', label: 'Black' },
          { value: 'grey', label: 'Grey' },
          { value: 'plate', label: 'Plate', disabled: !hasPlate },
        ]}
      />
      <Select
        size="small"
        aria-label="Channel"
        value={view.channel}
        style={{ width: 80 }}
        onChange={(channel: ChannelView) => view.set({ channel })}
        options={[
          { value: 'all', label: 'Colour' },
          { value: 'r', label: 'Red' },
          { value: 'g', label: 'Green' },
          { value: 'b', label: 'Blue' },
          { value: 'a', label: 'Alpha' },
        ]}
      />
      <Tooltip title={`View exposure ${view.exposure.toFixed(1)} stops ( - and + )`}>
        <Slider
          aria-label="View exposure"
          style={{ width: 70 }}
          min={-6}
          max={6}
          step={0.1}
          value={view.exposure}
          onChange={(exposure) => view.set({ exposure })}
          tooltip={{ open: false }}
        />
      </Tooltip>
      <Tooltip title="View back to neutral">
        <Button
          size="small"
          aria-label="View back to neutral"
          disabled={isViewNeutral(view)}
          icon={<UndoOutlined />}
          onClick={() => view.set({ exposure: 0, gamma: 1, saturation: 1, channel: 'all' })}
        />
      </Tooltip>
      <span style={{ flex: 1 }} />
      <Tooltip title="Whole picture (0)">
        <Button size="small" aria-label="Whole picture" icon={<CompressOutlined />} onClick={() => view.set({ placement: null })} />
      </Tooltip>
      <Tooltip title="One to one (1)">
        <Button size="small" aria-label="One to one" icon={<AimOutlined />} onClick={onOneToOne} />
      </Tooltip>
    </div>
  );
}
