import { isDataRole, roleOf, type PassId } from '@ivrex/contract';
import { Segmented, Select } from 'antd';
import { useView } from '../../viewer/view-store';
import { useShotContext } from '../shot/ShotPage';

/** Where what is hidden now, and uncovered during the exposure, comes from. */
export function HiddenCard() {
  const { detail, change } = useShotContext();
  const { settings, passes } = detail;
  const report = useView((s) => s.report);
  const [{ beauty }] = settings.elements;
  const pictures = passes.filter((pass) => pass.id !== beauty && !isDataRole(roleOf(settings, pass)));
  return (
    <div className="card">
      <b>Hidden parts</b>
      <Segmented<'auto' | 'off'>
        size="small"
        block
        value={settings.hidden}
        options={[
          { value: 'auto', label: 'Frames around' },
          { value: 'off', label: 'Made up' },
        ]}
        onChange={(hidden) =>
          change(hidden === 'off' ? 'Hidden parts made up' : 'Hidden parts from the frames around', (s) => ({ ...s, hidden }))
        }
      />
      <Select
        size="small"
        aria-label="Clean background"
        value={settings.background ?? ''}
        disabled={settings.hidden === 'off'}
        options={[{ value: '', label: 'No clean background' }, ...pictures.map((pass) => ({ value: pass.id as string, label: pass.name }))]}
        onChange={(value) => {
          const background = value === '' ? null : (value as PassId);
          void change(background === null ? 'No clean background' : 'Clean background', (s) => ({ ...s, background }));
        }}
      />
      <span className="evidence">
        {report === null
          ? 'What a moving thing uncovers is looked for in the frame before and the frame after.'
          : report.seenShare + report.inpaintedShare < 0.0005
            ? 'Nothing is hidden in this frame.'
            : `Of all that nearer things hide, ${Math.round((100 * report.seenShare) / (report.seenShare + report.inpaintedShare))} % was seen elsewhere; what comes into view of the rest is made up from its surroundings.`}
      </span>
    </div>
  );
}
