import { Button, Segmented, Tooltip } from 'antd';
import { useEffect } from 'react';
import { isPlanLook, PLAN_LOOK_NAMES, PLAN_LOOKS, type PlanLook } from '../../viewer/plan-looks';
import { useView } from '../../viewer/view-store';

const TIPS: Record<PlanLook, string> = {
  layers: 'Which surfaces were told apart, a colour each',
  bends: 'How far the paths leave a straight line while the shutter is open',
  hidden: 'Where what lies behind was found elsewhere, and where it is made up',
  frames: 'How much of each place comes from the frames before and after',
  slices: 'How many moments each pixel needs, or how long a fixed number makes each',
};

/** What the blur is made from, as pictures. Pressed again the look goes back to the blur. */
export function LooksCard() {
  const look = useView((s) => s.look),
    paths = useView((s) => s.paths),
    set = useView((s) => s.set);
  // Elsewhere there is no way back from these looks: they end with the step.
  useEffect(
    () => () => {
      if (isPlanLook(useView.getState().look)) useView.setState({ look: 'wipe' });
      useView.setState({ paths: false });
    },
    [],
  );
  return (
    <div className="card" data-testid="looks-card">
      <div className="row">
        <b>What it is made from</b>
        <span style={{ flex: 1 }} />
        <Tooltip title="The way of points while the shutter is open; the dot is the frame itself (T)">
          <Button size="small" type={paths ? 'primary' : 'default'} aria-pressed={paths} onClick={() => set({ paths: !paths })}>
            Paths
          </Button>
        </Tooltip>
      </div>
      <Segmented<PlanLook | 'wipe'>
        size="small"
        block
        value={PLAN_LOOKS.find((l) => l === look) ?? 'wipe'}
        options={[
          { value: 'wipe', label: 'Blur' },
          ...PLAN_LOOKS.map((value) => ({ value, label: <Tooltip title={TIPS[value]}>{PLAN_LOOK_NAMES[value]}</Tooltip> })),
        ]}
        onChange={(value) => set({ look: value })}
      />
    </div>
  );
}
