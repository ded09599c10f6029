import type { Element, ElementId } from '@ivrex/contract';
import { listedElements, surfaceOf } from '@ivrex/contract';
import { Select } from 'antd';
import { useView } from '../../viewer/view-store';
import { useShotContext } from './ShotPage';

/** Which element a step is about, where a shot has several that can move. */
export function ElementRow() {
  const { detail, whole } = useShotContext();
  const elements = listedElements(whole.settings).filter((e) => !e.place.fromPlate);
  if (elements.length < 2) return null;
  const [current] = detail.settings.elements;
  const source = elements.find((e) => e.id === current.readAs);
  const labelOf = (e: Element) => {
    const surface = surfaceOf(whole.settings, e);
    return surface === null ? e.name : `${e.name} (light pass of ${surface.name})`;
  };
  return (
    <>
      <div className="row" style={{ flexWrap: 'nowrap' }}>
        <span className="quiet">Element</span>
        <Select
          className="grow"
          size="small"
          aria-label="Element that this step is about"
          value={current.id}
          options={elements.map((e) => ({ value: e.id, label: labelOf(e) }))}
          onChange={(element: ElementId) => useView.setState({ element })}
        />
      </div>
      {source !== undefined && <span className="quiet">Its motion is read as {source.name}&apos;s is: a change here is one of both.</span>}
    </>
  );
}
