import { roleOf, type Element, type ElementMatte } from '@ivrex/contract';
import { objectsAt } from '@ivrex/core';
import { useEffect, useRef, useState } from 'react';
import { shownFrame } from '../../viewer/Thumbnail';
import { isCryptomatte, ranksOf } from '../../viewer/data-picture';
import { rasterOf, useRaster } from '../../viewer/use-raster';
import { useView } from '../../viewer/view-store';
import { useShotContext } from '../shot/ShotPage';

/** Clicks in the picture put objects of the element's ids pass into its matte, or take them out again, as long as it is on. */
export function useObjectPick(element: Element, onMatte: (matte: ElementMatte | null, label: string) => void) {
  const { whole } = useShotContext();
  const { passes, settings, shot } = whole;
  const [isOn, setIsOn] = useState(false);
  const frame = useView((s) => s.frame),
    clicked = useView((s) => s.clicked);
  const pass = passes.find((p) => p.id === element.ids) ?? passes.find((p) => roleOf(settings, p) === 'ids') ?? null;
  const raster = rasterOf(useRaster(isOn && pass !== null ? pass.id : null, pass === null ? 0 : shownFrame(pass, frame), 'planes'));
  const seen = useRef(clicked?.count ?? 0);
  useEffect(() => {
    if (clicked === null || clicked.count === seen.current) return;
    seen.current = clicked.count;
    if (!isOn || raster === null || pass === null) return;
    const { width, height } = raster.header;
    const pixel = Math.floor(((clicked.y + 0.5) * height) / shot.height) * width + Math.floor(((clicked.x + 0.5) * width) / shot.width);
    const id = isCryptomatte(raster) ? objectsAt(ranksOf(raster), pixel)[0]?.id : raster.planes[0][pixel];
    // 0 is where nothing is.
    if (id === undefined || id === 0) return;
    const { matte } = element;
    const before = matte !== null && matte.kind === 'objects' && matte.pass === pass.id ? matte : null;
    const ids = before?.ids.includes(id) === true ? before.ids.filter((other) => other !== id) : [...(before?.ids ?? []), id];
    if (ids.length === 0) onMatte(null, 'all of its picture');
    else
      onMatte(
        { kind: 'objects', pass: pass.id, ids, invert: before?.invert ?? false },
        ids.length === 1 ? 'cut out by an object' : `cut out by ${ids.length} objects`,
      );
  }, [clicked, isOn, raster]);
  return { isOn, canPick: pass !== null, toggle: () => setIsOn(!isOn) };
}
