import { shutterOfElement, listedElements, type Element } from '@ivrex/contract';
import { strengthAt } from '@ivrex/core';
import { useView } from '../../viewer/view-store';
import { useTuning } from './use-tuning';

/** How fast the elements go beside each other, and how long their streaks are: what is smaller or farther should have the shorter ones. */
export function SpeedTable({ current }: { current: Element }) {
  const { settings } = useTuning();
  const speeds = useView((s) => s.speeds),
    frame = useView((s) => s.frame);
  const rows = listedElements(settings).flatMap((element) => {
    const speed = speeds.get(element.id);
    if (speed === undefined) return [];
    const shutter = shutterOfElement(settings, element);
    return [{ element, speed, streak: speed.median * (shutter.closes - shutter.opens) * strengthAt(shutter, frame) }];
  });
  if (rows.length === 0) return <span className="evidence">Speeds are measured when the element is shown.</span>;
  return (
    <table className="steps-table">
      <caption>In this frame, pixels</caption>
      <thead>
        <tr>
          <th>Element</th>
          <th title="Median of its pixels, a frame">Speed</th>
          <th title="The fastest twentieth goes faster than this">Fast parts</th>
          <th title="Median, under its shutter">Streak</th>
        </tr>
      </thead>
      <tbody>
        {rows.map(({ element, speed, streak }) => (
          <tr key={element.id} style={element.id === current.id ? { fontWeight: 600 } : {}}>
            <td title={element.name}>{element.name}</td>
            <td>{speed.median.toFixed(1)}</td>
            <td>{speed.fast.toFixed(1)}</td>
            <td>{streak.toFixed(1)}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
