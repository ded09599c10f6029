import type { Pass } from '@ivrex/contract';
import type { Encoding, ScaleUnit, VectorSet } from '@ivrex/core';
import { Button, Input, Segmented, Select, Switch } from 'antd';
import type { ReactNode } from 'react';
import { DragNumber } from '../../ui/DragNumber';
import { Choice } from '../../ui/Choice';
import { SetCard } from './SetCard';

interface Props {
  readonly pass: Pass;
  readonly encoding: Encoding;
  readonly onChange: (label: string, encoding: Encoding) => void;
}

const UNITS: { value: ScaleUnit; label: string }[] = [
  { value: 'px', label: 'pixels' },
  { value: 'frameWidth', label: 'frame widths' },
  { value: 'frameSize', label: 'frame widths, heights' },
  { value: 'halfFrame', label: 'half frames' },
];

/** The questions that an encoding answers, one card each. */
export function QuestionCards({ pass, encoding, onChange }: Props) {
  const set = (label: string, part: Partial<Encoding>) => onChange(label, { ...encoding, ...part });
  const setSet = (index: number, next: VectorSet) =>
    set(`Channels ${next.x}, ${next.y}`, { sets: encoding.sets.map((s, i) => (i === index ? next : s)) });
  const names = pass.channels.map((c) => c.name);
  const { fullScale, transfer } = encoding;
  const addOther = () => {
    const [first] = encoding.sets,
      used = [first.x, first.y];
    const [x, y] = [...names.filter((n) => !used.includes(n)), ...names];
    const { from, to, unit } = first.covers;
    set('Second vector set', { sets: [first, { x, y, length: null, covers: { from, to: 2 * from - to, unit } }] });
  };
  return (
    <>
      <Card title="Where are x and y?">
        {encoding.sets.map((s, i) => (
          <SetCard
            key={i}
            index={i}
            set={s}
            channels={names}
            onChange={(next) => setSet(i, next)}
            {...(encoding.sets.length === 2
              ? { onRemove: () => set('One vector set', { sets: encoding.sets.filter((_, k) => k !== i) }) }
              : {})}
          />
        ))}
        {encoding.sets.length === 1 && names.length >= 4 && (
          <Button size="small" onClick={addOther}>
            There is a second set (to the frame before)
          </Button>
        )}
      </Card>
      <Card title="What does standing still look like?">
        <div className="grid2">
          <DragNumber
            label="Stored value for no motion"
            value={encoding.zero}
            step={0.01}
            digits={5}
            onCommit={(zero) => {
              if (zero !== fullScale.stored) set(`No motion is ${zero}`, { zero });
            }}
          />
          <div className="field">
            <span className="label">No vector here is stored as</span>
            <Input
              size="small"
              aria-label="No vector here is stored as"
              placeholder="nothing special"
              defaultValue={encoding.noData ?? ''}
              key={String(encoding.noData)}
              onBlur={(e) => {
                const noData = e.target.value.trim() === '' ? null : Number(e.target.value);
                if (noData !== encoding.noData && (noData === null || Number.isFinite(noData))) set('No-vector value', { noData });
              }}
            />
          </div>
        </div>
      </Card>
      <Card title="How far is full scale?">
        <div className="grid2">
          <DragNumber
            label="A stored value of"
            value={fullScale.stored}
            step={0.01}
            digits={5}
            onCommit={(stored) => {
              if (stored !== encoding.zero) set(`Full scale at ${stored}`, { fullScale: { ...fullScale, stored } });
            }}
          />
          <DragNumber
            label="means"
            value={fullScale.equals}
            step={1}
            digits={5}
            onCommit={(equals) => {
              if (equals !== 0) set(`Full scale is ${equals}`, { fullScale: { ...fullScale, equals } });
            }}
          />
        </div>
        <Select
          size="small"
          aria-label="Unit of full scale"
          value={fullScale.unit}
          options={UNITS}
          onChange={(unit) => set('Unit of full scale', { fullScale: { ...fullScale, unit } })}
        />
      </Card>
      <Card title="Which way do positive values point?">
        <div className="row">
          <Segmented
            size="small"
            aria-label="Positive x"
            value={encoding.axes.x}
            options={[
              { value: 'right', label: 'x right' },
              { value: 'left', label: 'x left' },
            ]}
            onChange={(x: 'right' | 'left') => set(`x points ${x}`, { axes: { ...encoding.axes, x } })}
          />
          <Segmented
            size="small"
            aria-label="Positive y"
            value={encoding.axes.y}
            options={[
              { value: 'down', label: 'y down' },
              { value: 'up', label: 'y up' },
            ]}
            onChange={(y: 'down' | 'up') => set(`y points ${y}`, { axes: { ...encoding.axes, y } })}
          />
        </div>
        <DragNumber
          label="x was multiplied by a pixel aspect of"
          value={encoding.pixelAspect}
          step={0.01}
          min={0.01}
          max={10}
          onCommit={(pixelAspect) => set('Pixel aspect', { pixelAspect })}
        />
      </Card>
      <Card title="Was a curve or alpha applied?">
        <div className="row">
          <Choice
            name="Curve"
            style={{ width: 170 }}
            value={transfer.kind}
            words={{ none: 'No curve', srgb: 'sRGB curve', power: 'Power curve' }}
            onChange={(kind) => set('Curve', { transfer: kind === 'power' ? { kind, exponent: 2.2 } : { kind } })}
          />
          {transfer.kind === 'power' && (
            <DragNumber
              label="Exponent"
              value={transfer.exponent}
              step={0.01}
              min={0.05}
              max={10}
              onCommit={(exponent) => set('Exponent', { transfer: { kind: 'power', exponent } })}
            />
          )}
        </div>
        <div className="row">
          <Switch
            size="small"
            aria-label="Values were multiplied by alpha"
            checked={encoding.premultiplied}
            onChange={(premultiplied) => set(premultiplied ? 'Multiplied by alpha' : 'Not multiplied by alpha', { premultiplied })}
          />
          <span>values were multiplied by alpha</span>
        </div>
        {encoding.premultiplied && (
          <Select
            size="small"
            aria-label="Alpha of the motion pass"
            value={encoding.alpha ?? ''}
            options={[{ value: '', label: 'alpha of the beauty' }, ...names.map((n) => ({ value: n, label: `alpha in ${n}` }))]}
            onChange={(alpha) => set('Alpha of the motion', { alpha: alpha === '' ? null : alpha })}
          />
        )}
      </Card>
    </>
  );
}

function Card({ title, children }: { title: string; children: ReactNode }) {
  return (
    <section className="card agreed">
      <b>{title}</b>
      {children}
    </section>
  );
}
