import { opacityAt, surfaceOf, type Element, type ElementPlace } from '@ivrex/contract';
import { withKey, type Blend } from '@ivrex/core';
import { Button, Segmented, Tooltip } from 'antd';
import { DragNumber } from '../../ui/DragNumber';
import { Choice } from '../../ui/Choice';
import { useView } from '../../viewer/view-store';
import { useTuning, withPlace } from './use-tuning';

const BLENDS: { value: Blend; label: string; tip: string }[] = [
  { value: 'over', label: 'Over', tip: 'Covers what is below by its alpha' },
  { value: 'add', label: 'Add', tip: 'Its light is added' },
  { value: 'multiply', label: 'Multiply', tip: 'What is below is multiplied by it' },
  { value: 'screen', label: 'Screen', tip: 'Its light is added, up to white' },
];

/** How an element is laid on what is below it: way, opacity, edge; a shadow in its own way. */
export function PlaceCard({ element }: { element: Element }) {
  const { settings, tune, keep } = useTuning();
  const { id, name, place } = element;
  const set = (label: string, change: Partial<ElementPlace>) => keep(`${name}: ${label}`, (s) => withPlace(s, id, change));
  const setEdge = (change: Partial<ElementPlace['edge']>) => ({ edge: { ...place.edge, ...change } });
  const { shadow } = place;
  const surface = surfaceOf(settings, element);
  if (surface !== null)
    return (
      <section className="card" data-testid="place-card">
        <b>How bright it is</b>
        <Opacity element={element} />
        <span className="evidence">It covers what {surface.name} covers, and has its matte, edge and depth of field.</span>
      </section>
    );
  return (
    <section className="card" data-testid="place-card">
      <b>{shadow === null ? 'How it lies on what is below' : 'How its shadow falls'}</b>
      {shadow === null ? (
        <Segmented<Blend>
          size="small"
          block
          aria-label="How it is laid on"
          value={place.blend}
          options={BLENDS.map(({ value, label, tip }) => ({ value, label: <Tooltip title={tip}>{label}</Tooltip> }))}
          onChange={(blend) => set(blend, { blend })}
        />
      ) : (
        <div className="row" style={{ flexWrap: 'nowrap' }}>
          <Choice
            className="grow"
            name="What the shadow pass holds"
            value={shadow.reads}
            words={{ density: 'holds how dense it is', light: 'holds the light that is left' }}
            onChange={(reads) => set(`shadow read as ${reads}`, { shadow: { ...shadow, reads } })}
          />
          <Choice
            className="grow"
            name="What the shadow does"
            value={shadow.way}
            words={{ holdOut: 'holds light out, evenly', multiply: 'multiplies, with its colour' }}
            onChange={(way) => set(way === 'multiply' ? 'shadow multiplies' : 'shadow holds light out', { shadow: { ...shadow, way } })}
          />
        </div>
      )}
      <Opacity element={element} />
      <div className="grid2">
        {shadow === null && (
          <DragNumber
            label="Edge in by"
            value={place.edge.trimPx}
            step={0.05}
            min={-20}
            max={20}
            unit="px"
            digits={2}
            onLive={(trimPx) => tune((s) => withPlace(s, id, setEdge({ trimPx })))}
            onCommit={(trimPx) => set(`edge in by ${trimPx} px`, setEdge({ trimPx }))}
          />
        )}
        <DragNumber
          label={shadow === null ? 'Soften edge' : 'Soften shadow'}
          value={place.edge.softenPx}
          step={0.05}
          min={0}
          max={50}
          unit="px"
          digits={2}
          onLive={(softenPx) => tune((s) => withPlace(s, id, setEdge({ softenPx })))}
          onCommit={(softenPx) => set(`softened by ${softenPx} px`, setEdge({ softenPx }))}
        />
      </div>
      <div className="row">
        <Button
          size="small"
          onClick={() =>
            set(shadow === null ? 'is a shadow' : 'is a picture', { shadow: shadow === null ? { reads: 'density', way: 'holdOut' } : null })
          }
        >
          {shadow === null ? 'It is a shadow' : 'It is no shadow'}
        </Button>
        <Tooltip title="Its pictures are the plate's own: they have its blur and its grain">
          <Button size="small" onClick={() => set(place.fromPlate ? 'is CG' : 'is of the plate', { fromPlate: !place.fromPlate })}>
            {place.fromPlate ? 'It is CG' : 'It is of the plate'}
          </Button>
        </Tooltip>
      </div>
      <span className="evidence">
        {place.edge.trimPx !== 0 || place.edge.softenPx !== 0
          ? 'The edge is changed before the blur. Colour is divided by alpha first and multiplied after: no dark rim comes in by it.'
          : 'Edges are moved before the blur, in fractions of a pixel.'}
      </span>
    </section>
  );
}

function Opacity({ element }: { element: Element }) {
  const { tune, keep } = useTuning();
  const frame = useView((s) => s.frame);
  const { id, name, place } = element,
    { opacityKeys: keys } = place;
  const here = keys.find((k) => k.frame === frame),
    value = opacityAt(place, frame);
  const changed = (next: number): Partial<ElementPlace> =>
    keys.length === 0 ? { opacity: next } : { opacityKeys: withKey(keys, { frame, value: next, way: here?.way ?? 'linear' }) };
  const set = (label: string, change: Partial<ElementPlace>) => keep(`${name}: ${label}`, (s) => withPlace(s, id, change));
  return (
    <div className="grid2">
      <DragNumber
        label={keys.length === 0 ? 'Opacity' : here === undefined ? `Opacity at ${frame} (makes a key)` : `Opacity key at ${frame}`}
        value={value * 100}
        step={1}
        min={0}
        max={100}
        unit="%"
        digits={1}
        onLive={(v) => tune((s) => withPlace(s, id, changed(v / 100)))}
        onCommit={(v) => set(`opacity ${v} %`, changed(v / 100))}
      />
      {here === undefined ? (
        <Button
          size="small"
          style={{ alignSelf: 'end' }}
          onClick={() => set(`opacity key at ${frame}`, { opacityKeys: withKey(keys, { frame, value, way: 'linear' }) })}
        >
          Key at {frame}
        </Button>
      ) : (
        <Button
          size="small"
          style={{ alignSelf: 'end' }}
          onClick={() =>
            set(`opacity key at ${frame} taken away`, {
              opacity: keys.length === 1 ? here.value : place.opacity,
              opacityKeys: keys.filter((k) => k.frame !== frame),
            })
          }
        >
          Take key away
        </Button>
      )}
    </div>
  );
}
