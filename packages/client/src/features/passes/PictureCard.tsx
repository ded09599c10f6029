import { readingOf, roleOf, type AlphaChoice, type Pass, type PictureChoice, type ShotDetail } from '@ivrex/contract';
import { INPUT_CURVE_NAMES, INPUT_CURVES, type InputCurve } from '@ivrex/core';
import { Button, ColorPicker, Select } from 'antd';
import { useMemo, useState } from 'react';
import { useView } from '../../viewer/view-store';
import { rasterOf, useRaster } from '../../viewer/use-raster';
import { shownFrame } from '../../viewer/Thumbnail';
import { EdgePreview, softestEdge } from './EdgePreview';

interface Props {
  readonly detail: ShotDetail;
  readonly pass: Pass;
  readonly onReading: (reading: PictureChoice, label: string) => void;
}

const ALPHA_NAMES: Record<AlphaChoice['kind'], string> = {
  premultiplied: 'Premultiplied',
  straight: 'Straight',
  matted: 'Matted on a colour',
  none: 'No alpha',
  borrowed: "Another pass's alpha",
};

/** How a picture's colours and alpha are read, with each reading of alpha shown at one of its edges. */
export function PictureCard({ detail, pass, onReading }: Props) {
  const reading = readingOf(detail.settings, pass);
  const frame = useView((s) => s.frame),
    set = useView((s) => s.set);
  const hasAlpha = pass.channels.some((c) => /^a(lpha)?$/i.test(c.name));
  // The edge is looked for once, so that all readings show the same place.
  const stored = rasterOf(
    useRaster(pass.id, shownFrame(pass, frame), 'picture', 1, hasAlpha ? { ...reading, alpha: { kind: 'premultiplied' } } : reading),
  );
  const place = useMemo(() => (stored === null ? null : softestEdge(stored)), [stored]);
  const [matte, setMatte] = useState<readonly [number, number, number]>(reading.alpha.kind === 'matted' ? reading.alpha.colour : [0, 0, 0]);
  const donors = detail.passes.filter(
    (p) => p.id !== pass.id && (p.channels.some((c) => /^a(lpha)?$/i.test(c.name)) || roleOf(detail.settings, p) === 'matte'),
  );
  const [donor, setDonor] = useState(donors[0]?.id ?? null);
  const choices: AlphaChoice[] = [
    ...(hasAlpha || reading.alpha.kind === 'borrowed'
      ? ([{ kind: 'premultiplied' }, { kind: 'straight' }, { kind: 'matted', colour: [...matte] }] as AlphaChoice[])
      : []),
    { kind: 'none' },
    ...(donor === null ? [] : [{ kind: 'borrowed', pass: donor, premultiplied: false } as AlphaChoice]),
  ];
  return (
    <div className="card" data-testid="picture-card">
      <b>How {pass.name} is read</b>
      <div className="row">
        <span className="quiet" style={{ width: 66 }}>
          Colour
        </span>
        <Select
          className="grow"
          size="small"
          aria-label="Curve of the stored colours"
          value={reading.curve}
          options={INPUT_CURVES.map((value) => ({ value, label: INPUT_CURVE_NAMES[value] }))}
          onChange={(curve: InputCurve) => onReading({ ...reading, curve }, `${pass.name} is read as ${INPUT_CURVE_NAMES[curve]}`)}
        />
      </div>
      <span className="quiet">Alpha: each reading at an edge of this frame. Point to try it in the picture, click to take it.</span>
      <div className="alpha-choices">
        {choices.map((alpha) => (
          <button
            type="button"
            key={alpha.kind}
            className={alpha.kind === reading.alpha.kind ? 'taken' : ''}
            aria-pressed={alpha.kind === reading.alpha.kind}
            onMouseEnter={() => set({ tried: { ...reading, alpha } })}
            onMouseLeave={() => set({ tried: null })}
            onClick={() => {
              set({ tried: null });
              onReading({ ...reading, alpha }, `Alpha of ${pass.name}: ${ALPHA_NAMES[alpha.kind].toLowerCase()}`);
            }}
          >
            <EdgePreview pass={pass} frame={frame} reading={{ ...reading, alpha }} place={place} />
            {ALPHA_NAMES[alpha.kind]}
          </button>
        ))}
      </div>
      {hasAlpha && (
        <div className="row">
          <span className="quiet">Colour under it</span>
          <ColorPicker
            size="small"
            disabledAlpha
            value={`rgb(${matte.map((v) => Math.round(v * 255)).join(',')})`}
            onChangeComplete={(colour) => {
              const { r, g, b } = colour.toRgb();
              setMatte([r / 255, g / 255, b / 255]);
            }}
          />
        </div>
      )}
      {donors.length > 0 && (
        <div className="row">
          <span className="quiet">Borrow from</span>
          <Select
            className="grow"
            size="small"
            aria-label="Pass whose alpha is borrowed"
            value={donor}
            options={donors.map((p) => ({ value: p.id, label: `${p.name} (${p.file})` }))}
            onChange={setDonor}
          />
        </div>
      )}
      {detail.settings.readings[pass.id] !== undefined && (
        <Button size="small" onClick={() => onReading(pass.usual, `${pass.name} is read as usual`)}>
          As such files usually are
        </Button>
      )}
    </div>
  );
}
