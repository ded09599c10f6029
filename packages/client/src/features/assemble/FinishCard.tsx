import { passBelow, type Assembly } from '@ivrex/contract';
import { halfToNumber, measureGrain, type GrainMeasure } from '@ivrex/core';
import { Button, Switch } from 'antd';
import { useEffect, useRef, useState } from 'react';
import { loadRaster } from '../../api/raster-cache';
import { DragNumber } from '../../ui/DragNumber';
import { plateNumber } from '../../viewer/use-assembly';
import { useView } from '../../viewer/view-store';
import { useShotContext } from '../shot/ShotPage';
import { useTuning } from './use-tuning';

/** What is done to the whole picture: the plate's grain on the CG, darker corners. */
export function FinishCard() {
  const { settings, tune, keep } = useTuning();
  const { vignette } = settings.assembly;
  const put = (change: Partial<Assembly>) => (s: typeof settings) => ({ ...s, assembly: { ...s.assembly, ...change } });
  return (
    <section className="card" data-testid="finish-card">
      <GrainPart />
      <div className="row">
        <b className="grow">Darker corners</b>
        <Switch
          size="small"
          aria-label="Darker corners"
          checked={vignette !== null}
          onChange={(on) =>
            keep(on ? 'Darker corners' : 'No darker corners', put({ vignette: on ? { amount: 0.35, radius: 0.45, softness: 0.6 } : null }))
          }
        />
      </div>
      {vignette !== null && (
        <div className="grid2">
          {(
            [
              ['amount', 'By', 1],
              ['radius', 'From', 1],
              ['softness', 'Over', 2],
            ] as const
          ).map(([key, label, most]) => (
            <DragNumber
              key={key}
              label={key === 'amount' ? label : `${label} (half diagonals)`}
              value={vignette[key]}
              step={0.01}
              min={key === 'softness' ? 0.01 : 0}
              max={most}
              onLive={(v) => tune(put({ vignette: { ...vignette, [key]: v } }))}
              onCommit={(v) => keep(`Corners: ${label.toLowerCase()} ${v}`, put({ vignette: { ...vignette, [key]: v } }))}
            />
          ))}
        </div>
      )}
    </section>
  );
}

type Measured =
  | { readonly status: 'none' | 'measuring' }
  | { readonly status: 'failed'; readonly message: string }
  | { readonly status: 'ready'; readonly found: GrainMeasure };

function GrainPart() {
  const { whole } = useShotContext();
  const { settings, keep } = useTuning();
  const frame = useView((s) => s.frame),
    box = useView((s) => s.grainBox),
    draws = useView((s) => s.draws);
  const [measured, setMeasured] = useState<Measured>({ status: 'none' });
  const seen = useRef(box?.count ?? 0);
  const below = passBelow(settings, whole.passes);
  const { grain } = settings.assembly;
  useEffect(() => {
    if (box === null || box.count === seen.current || below === null) return;
    seen.current = box.count;
    let current = true;
    setMeasured({ status: 'measuring' });
    loadRaster(below.id, plateNumber({ ...whole, settings }, below, frame), 'picture').then(
      ({ header, planes }) => {
        if (!current) return;
        // The box was drawn in the shot's picture.
        const scaleX = header.width / whole.shot.width,
          scaleY = header.height / whole.shot.height;
        const region = {
          x0: Math.max(0, Math.round(box.x0 * scaleX)),
          y0: Math.max(0, Math.round(box.y0 * scaleY)),
          x1: Math.min(header.width, Math.round(box.x1 * scaleX)),
          y1: Math.min(header.height, Math.round(box.y1 * scaleY)),
        };
        const found = measureGrain(Float32Array.from(planes[0], halfToNumber), header.width, region);
        if (found === null)
          setMeasured({ status: 'failed', message: 'The box is too small to measure grain in: 32 x 24 pixels are enough.' });
        else {
          setMeasured({ status: 'ready', found });
          const { floor, slope, sizePx } = found.model;
          keep('Grain of the plate', (s) => ({
            ...s,
            assembly: { ...s.assembly, grain: { floor: [...floor], slope: [...slope], sizePx } },
          }));
        }
      },
      () => current && setMeasured({ status: 'failed', message: 'The plate of this frame can not be read.' }),
    );
    return () => {
      current = false;
    };
  }, [box]);
  return (
    <>
      <div className="row">
        <b className="grow">Grain of the plate on the CG</b>
        <Switch
          size="small"
          aria-label="Grain of the plate on the CG"
          checked={grain !== null}
          disabled={grain === null}
          onChange={() => keep('No grain', (s) => ({ ...s, assembly: { ...s.assembly, grain: null } }))}
        />
      </div>
      <div className="row">
        <Button
          size="small"
          disabled={below === null}
          type={draws === 'grain' ? 'primary' : 'default'}
          aria-pressed={draws === 'grain'}
          onClick={() => useView.setState({ draws: draws === 'grain' ? null : 'grain' })}
        >
          {draws === 'grain' ? 'Draw over even plate' : 'Measure it in the plate'}
        </Button>
        {measured.status === 'measuring' && <span className="quiet">measuring</span>}
      </div>
      <span className="evidence">
        {measured.status === 'failed'
          ? measured.message
          : measured.status === 'ready'
            ? grainWords(measured.found)
            : grain === null
              ? 'Blurred CG has no grain. Draw a box over an even part of the plate, such as sky: it is measured there.'
              : 'Put on after all blur, where CG covers the plate; half covered pixels get what they lack.'}
      </span>
    </>
  );
}

function grainWords({ deviation, light, blocks, model }: GrainMeasure): string {
  const percent = deviation.map((d, c) => ((100 * d) / Math.max(1e-6, light[c])).toFixed(1)).join(', ');
  return `From ${blocks} even blocks: red, green and blue stray by ${percent} % of their light there; ${model.sizePx === 0 ? 'from pixel to pixel' : `as soft as ${model.sizePx.toFixed(2)} px`}.`;
}
