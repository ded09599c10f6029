import { passBelow, roleOf, isDataRole, type Assembly, type PassId } from '@ivrex/contract';
import { describeConform, plateBox, type PlateFit } from '@ivrex/core';
import { Segmented, Select } from 'antd';
import { useShotContext } from '../shot/ShotPage';
import { useTuning } from './use-tuning';

const FITS: { value: PlateFit; label: string }[] = [
  { value: 'fit', label: 'all of it is seen' },
  { value: 'fill', label: 'it fills the frame' },
  { value: 'stretch', label: 'stretched to the frame' },
  { value: 'asIs', label: 'pixel on pixel, from the middle' },
];

/** What lies below all elements, and how it is brought to the shot's rate and size. */
export function PlateCard() {
  const { whole } = useShotContext();
  const { settings, keep } = useTuning();
  const { assembly } = settings;
  const below = passBelow(settings, whole.passes),
    main = whole.passes.find((p) => p.id === settings.elements[0].beauty);
  const set = (label: string, change: Partial<Assembly>) => keep(label, (s) => ({ ...s, assembly: { ...s.assembly, ...change } }));
  const plates = whole.passes.filter((p) => !isDataRole(roleOf(settings, p)));
  const fps = settings.fps ?? main?.fps ?? null;
  const differsInRate = below !== null && below.fps !== null && fps !== null && Math.abs(below.fps - fps) > 1e-3;
  const frame = { width: whole.shot.width, height: whole.shot.height, pixelAspect: main?.pixelAspect ?? 1 };
  const differsInSize =
    below !== null && (below.width !== frame.width || below.height !== frame.height || below.pixelAspect !== frame.pixelAspect);
  return (
    <section className="card" data-testid="plate-card">
      <b>Below all</b>
      <Segmented<Assembly['below']>
        size="small"
        block
        aria-label="What lies below all"
        value={assembly.below}
        options={[
          { value: 'plate', label: 'Plate' },
          { value: 'background', label: 'Clean background', disabled: settings.background === null },
          { value: 'nothing', label: 'Nothing' },
        ]}
        onChange={(next) =>
          set(next === 'nothing' ? 'Nothing below' : `The ${next === 'plate' ? 'plate' : 'clean background'} below`, { below: next })
        }
      />
      {assembly.below === 'plate' && (
        <Select
          size="small"
          aria-label="Plate"
          placeholder="No pass is marked as a plate"
          value={below?.id ?? null}
          options={plates.map((p) => ({ value: p.id, label: `${p.name} (${roleOf(settings, p)})` }))}
          onChange={(plate: PassId) => set('Another plate', { plate })}
        />
      )}
      {differsInRate && (
        <>
          <Segmented<Assembly['conform']>
            size="small"
            block
            aria-label="How the plate is brought to the shot's rate"
            value={assembly.conform}
            options={[
              { value: 'asIs', label: 'Frame by frame' },
              { value: 'time', label: 'By time' },
            ]}
            onChange={(conform) => set(conform === 'time' ? 'The plate by time' : 'The plate frame by frame', { conform })}
          />
          <span className="evidence">Now {describeConform(assembly.conform, fps, below.fps ?? fps)}.</span>
        </>
      )}
      {differsInSize && (
        <>
          <Select
            size="small"
            aria-label="How the plate fits the frame"
            value={assembly.fit}
            options={FITS}
            onChange={(fit: PlateFit) => set(`The plate: ${FITS.find((f) => f.value === fit)?.label ?? fit}`, { fit })}
          />
          <span className="evidence">{fitWords(below, frame, assembly.fit)}</span>
        </>
      )}
      {below !== null && !differsInRate && !differsInSize && <span className="evidence">The plate has the shot&apos;s rate and size.</span>}
    </section>
  );
}

interface Sized {
  readonly width: number;
  readonly height: number;
  readonly pixelAspect: number;
}

function fitWords(plate: Sized, frame: Sized, fit: PlateFit): string {
  const box = plateBox(plate, frame, fit);
  const cut = Math.max(0, -box.x) * 2 + Math.max(0, -box.y) * 2;
  const aspect = plate.pixelAspect === 1 ? '' : `, pixels ${plate.pixelAspect.toFixed(3)} wide`;
  const lies = `The plate is ${plate.width} x ${plate.height}${aspect}; it comes to ${Math.round(box.width)} x ${Math.round(box.height)} in the frame`;
  if (cut > 1) return `${lies}, and what goes beyond it is cut off.`;
  return box.width < frame.width - 1 || box.height < frame.height - 1 ? `${lies}; around it there is black.` : `${lies}.`;
}
