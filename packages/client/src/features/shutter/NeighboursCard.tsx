import type { PlanReport } from '@ivrex/core';
import { Segmented } from 'antd';
import { useView } from '../../viewer/view-store';
import { wantedBy } from '../../viewer/blur-keys';
import { useShotContext } from '../shot/ShotPage';

/** Whether the blur of the frames before and after is mixed into this frame's. */
export function NeighboursCard() {
  const { detail, change, shutter } = useShotContext();
  const { settings } = detail;
  const report = useView((s) => s.report),
    blurred = useView((s) => s.blurred),
    frame = useView((s) => s.frame);
  const { note } = wantedBy(settings, shutter, frame),
    isExact = blurred?.quality === 'final' && blurred.isOld !== true;
  return (
    <div className="card">
      <b>Neighbouring frames</b>
      <Segmented<'auto' | 'off'>
        size="small"
        block
        value={settings.bothFrames}
        options={[
          { value: 'auto', label: 'Mixed in' },
          { value: 'off', label: 'This frame alone' },
        ]}
        onChange={(bothFrames) =>
          change(bothFrames === 'off' ? 'Blur of this frame alone' : 'Neighbouring frames mixed in', (s) => ({ ...s, bothFrames }))
        }
      />
      <span className="evidence">
        {settings.bothFrames === 'off'
          ? 'Shading, highlights and surfaces that turn stay as they are in this frame for the whole exposure.'
          : (note ?? (isExact && report !== null ? wordsOf(report) : WAITING))}
      </span>
    </div>
  );
}

const WAITING =
  'Towards a neighbouring frame its own picture counts more: shading, highlights and surfaces that turn follow. Drafts leave it out.';

function wordsOf({ mixed, mixedShare }: PlanReport): string {
  if (mixed.length === 0) return 'No neighbouring frame could be mixed in here: see below.';
  return `${Math.round(100 * mixedShare)} % of this picture comes from the frame ${mixed.join(' and the frame ')}, most where ${mixed.length === 2 ? 'they are' : 'it is'} nearer in time or ${mixed.length === 2 ? 'show' : 'shows'} what this one does not.`;
}
