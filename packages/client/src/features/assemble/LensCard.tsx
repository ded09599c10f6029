import type { Element, ShotSettings } from '@ivrex/contract';
import {
  blurRadius,
  completeDepth,
  depthDoubts,
  halfToNumber,
  MISSING_DEPTH,
  MIXED_DEPTH,
  SOFT_DEPTH,
  type DepthDoubts,
  type Lens,
} from '@ivrex/core';
import { Button, Select, Switch } from 'antd';
import { useEffect, useMemo, useRef, useState } from 'react';
import { useMeasuredDepth } from '../../api/depth';
import { DragNumber } from '../../ui/DragNumber';
import { depthPlane } from '../../viewer/blur-inputs';
import { rasterOf, useRaster } from '../../viewer/use-raster';
import { useView } from '../../viewer/view-store';
import { useShotContext } from '../shot/ShotPage';
import { useTuning, withPlace } from './use-tuning';

/** The lens: what is sharp, and how soft the rest is. */
export function LensCard({ element }: { element: Element }) {
  const { whole } = useShotContext();
  const { settings, tune, keep } = useTuning();
  const frame = useView((s) => s.frame);
  const { lens } = settings.assembly;
  const picture = rasterOf(useRaster(element.beauty, frame, 'picture')),
    distances = rasterOf(useRaster(element.depth, frame, 'planes'));
  const measured = useMeasuredDepth(whole, element).data,
    stored = element.depthEncoding ?? (measured?.isDepth ? measured.encoding : null);
  const depth = useMemo(() => {
    if (distances === null || stored === null) return null;
    const { width, height } = distances.header,
      decoded = depthPlane(whole, element, distances, stored, width, height);
    return decoded && completeDepth(decoded, width, { ids: null, motion: null });
  }, [distances, stored]);
  const doubts = useMemo(() => {
    if (depth === null || picture === null || picture.header.width * picture.header.height !== depth.length) return null;
    const halves = picture.planes[0];
    const alpha = Float32Array.from({ length: depth.length }, (_, i) => halfToNumber(halves[i * 4 + 3]));
    return depthDoubts(depth, alpha, picture.header.width);
  }, [depth, picture]);
  const put = (s: ShotSettings, next: Lens | null): ShotSettings => ({
    ...s,
    assembly: { ...s.assembly, lens: next && { ...next, aperture: { ...next.aperture } } },
  });
  const pick = useFocusPick(
    (focus) => keep(`Focus at ${focus}`, (s) => put(s, { ...(s.assembly.lens ?? startLens(focus)), focus })),
    depth === null || distances === null ? null : { depth, width: distances.header.width, height: distances.header.height },
    whole.shot,
  );
  if (element.depth === null && lens === null)
    return (
      <section className="card" data-testid="lens-card">
        <b>Depth of field</b>
        <span className="evidence">{element.name} has no depth pass: choose one in step Passes, or an element that has one.</span>
      </section>
    );
  const field = (
    label: string,
    key: 'focus' | 'farPx' | 'nearPx' | 'mostPx',
    rest: { step: number; min: number; max: number; unit?: string },
  ) =>
    lens && (
      <DragNumber
        label={label}
        value={lens[key]}
        {...rest}
        onLive={(v) => tune((s) => put(s, { ...lens, [key]: v }))}
        onCommit={(v) => keep(`Lens: ${label.toLowerCase()} ${v}`, (s) => put(s, { ...lens, [key]: v }))}
      />
    );
  return (
    <section className="card" data-testid="lens-card">
      <div className="row">
        <b className="grow">Depth of field</b>
        <Switch
          size="small"
          aria-label="Depth of field"
          checked={lens !== null}
          onChange={(on) => keep(on ? 'Depth of field' : 'No depth of field', (s) => put(s, on ? startLens(middleDepth(depth)) : null))}
        />
      </div>
      {lens === null ? (
        <span className="evidence">
          Makes soft what is out of focus, by the depth pass and before the blur: every surface by its own depth.
        </span>
      ) : (
        <>
          <div className="row">
            <Button
              size="small"
              disabled={depth === null}
              type={pick.isOn ? 'primary' : 'default'}
              aria-pressed={pick.isOn}
              onClick={pick.toggle}
            >
              {pick.isOn ? 'Click what is to be sharp' : 'Focus from the picture'}
            </Button>
            <Select
              size="small"
              aria-label="Shape of the aperture"
              style={{ width: 130 }}
              value={lens.aperture.blades}
              options={[{ value: 0, label: 'Round' }, ...[5, 6, 7, 8, 9].map((n) => ({ value: n, label: `${n} blades` }))]}
              onChange={(blades) =>
                keep(blades === 0 ? 'Round aperture' : `Aperture of ${blades} blades`, (s) =>
                  put(s, { ...lens, aperture: { ...lens.aperture, blades } }),
                )
              }
            />
          </div>
          <div className="grid2">
            {field('Sharp at depth', 'focus', { step: 0.05, min: 0.001, max: 1e6 })}
            {field('Blur far away', 'farPx', { step: 0.2, min: 0, max: 200, unit: 'px' })}
            {field('at half the depth', 'nearPx', { step: 0.2, min: 0, max: 200, unit: 'px' })}
            {field('at most', 'mostPx', { step: 0.5, min: 0, max: 100, unit: 'px' })}
          </div>
          <div className="row">
            <Switch
              size="small"
              aria-label={`${element.name} is seen through the lens`}
              checked={element.place.defocus}
              onChange={(defocus) =>
                keep(`${element.name}: ${defocus ? 'in' : 'out of'} the depth of field`, (s) => withPlace(s, element.id, { defocus }))
              }
            />
            <span className="quiet">{element.name} is seen through it</span>
          </div>
          {depth !== null && <DepthFigures depth={depth} lens={lens} doubts={doubts} name={element.name} />}
        </>
      )}
    </section>
  );
}

function DepthFigures({ depth, lens, doubts, name }: { depth: Float32Array; lens: Lens; doubts: DepthDoubts | null; name: string }) {
  const most = useMemo(() => {
    let radius = 0;
    for (let i = 0; i < depth.length; i += 7)
      if (depth[i] > 0 && depth[i] < Infinity) radius = Math.max(radius, blurRadius(lens, depth[i]));
    return radius;
  }, [depth, lens]);
  const said = doubts === null ? [] : doubtsInWords(doubts, name);
  return (
    <>
      <span className="evidence">The softest place of this frame is blurred by {most.toFixed(1)} px.</span>
      {said.map((sentence) => (
        <span className="warning-text" role="note" key={sentence}>
          {sentence}
        </span>
      ))}
    </>
  );
}

export function doubtsInWords({ mixedShare, softShare, missingShare }: DepthDoubts, name: string): string[] {
  const percent = (share: number) => `${Math.round(share * 100)} %`;
  return [
    ...(mixedShare > MIXED_DEPTH
      ? [
          `The depth of ${name} is filtered: ${percent(mixedShare)} of its edges hold a depth between both sides. Rims will be too sharp or too soft; render depth unfiltered.`,
        ]
      : []),
    ...(softShare > SOFT_DEPTH
      ? [
          `${percent(softShare)} of ${name} is half clear (spray, gauze, smoke): one depth cannot stand for all that is seen there. Render it with its depth of field, or leave it out of the lens.`,
        ]
      : []),
    ...(missingShare > MISSING_DEPTH
      ? [`${percent(missingShare)} of ${name} has no depth: it is taken as infinitely far. Bring a depth pass that covers it.`]
      : []),
  ];
}

function startLens(focus: number): Lens {
  return { focus, farPx: 6, nearPx: 6, mostPx: 24, aperture: { blades: 0, turnDeg: 0 } };
}

function middleDepth(depth: Float32Array | null): number {
  if (depth === null) return 10;
  const there = depth.filter((d, i) => i % 17 === 0 && d > 0 && d < 1e9).sort();
  return there.length === 0 ? 10 : Number(there[there.length >> 1].toPrecision(3));
}

/** The next click in the picture says what is sharp. */
function useFocusPick(
  onFocus: (depth: number) => void,
  plane: { depth: Float32Array; width: number; height: number } | null,
  shot: { width: number; height: number },
) {
  const [isOn, setIsOn] = useState(false);
  const clicked = useView((s) => s.clicked);
  const seen = useRef(clicked?.count ?? 0);
  useEffect(() => {
    if (clicked === null || clicked.count === seen.current) return;
    seen.current = clicked.count;
    if (!isOn || plane === null) return;
    const x = Math.floor(((clicked.x + 0.5) / shot.width) * plane.width),
      y = Math.floor(((clicked.y + 0.5) / shot.height) * plane.height);
    const found = plane.depth[y * plane.width + x];
    if (!(found > 0) || found === Infinity) return;
    setIsOn(false);
    onFocus(Number(found.toPrecision(4)));
  }, [clicked, isOn]);
  return { isOn, toggle: () => setIsOn(!isOn) };
}
