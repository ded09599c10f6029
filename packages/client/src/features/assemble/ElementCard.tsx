import {
  isApart,
  isDataRole,
  listedElements,
  roleOf,
  stackOf,
  surfaceOf,
  lightPassesOf,
  type Element,
  type ElementId,
  type ElementMatte,
  type PassId,
} from '@ivrex/contract';
import { Button, Checkbox, Input, Select } from 'antd';
import { useState } from 'react';
import { Link } from 'react-router';
import { DragNumber } from '../../ui/DragNumber';
import { useShotContext } from '../shot/ShotPage';
import { passLabel } from '../../ui/pass-label';
import { WhoseShutter } from '../../ui/WhoseShutter';
import { EstimateRow } from './EstimateRow';
import { SpeedTable } from './SpeedTable';
import { useObjectPick } from './use-object-pick';
import { useTuning, withElement } from './use-tuning';

/** What an element is made of, and whose reading and shutter it has. */
export function ElementCard({ element }: { element: Element }) {
  const { whole } = useShotContext();
  const { settings, tune, keep } = useTuning();
  const [name, setName] = useState<string | null>(null);
  const { id } = element;
  const set = (label: string, change: Partial<Element>) =>
    keep(`${element.name}: ${label}`, (s) => withElement(s, id, (e) => ({ ...e, ...change })));
  const rename = () => {
    const wanted = name?.trim() ?? '';
    if (wanted !== '' && wanted !== element.name) set(`named ${wanted}`, { name: wanted });
    setName(null);
  };
  const named = (passes: typeof whole.passes) =>
    passes.map((p) => ({ value: p.id, label: `${passLabel(p, whole.passes)} (${roleOf(settings, p)})` }));
  const pictures = whole.passes.filter((p) => !isDataRole(roleOf(settings, p)) || p.id === element.beauty);
  const motions = whole.passes.filter((p) => roleOf(settings, p) === 'motion');
  const surface = surfaceOf(settings, element),
    surfaces = stackOf(settings).filter((e) => e.id !== id && !e.place.fromPlate && e.place.shadow === null);
  const others = listedElements(settings).filter((e) => e.id !== id && e.motion !== null && e.readAs !== id);
  const setMotion = (motion: PassId | null) =>
    // An encoding belongs to the pass it was agreed for.
    set(motion === null ? 'does not move' : 'another motion pass', { motion, ...(element.readAs === null ? { encoding: null } : {}) });
  return (
    <section className="card" data-testid="element-card">
      <div className="row" style={{ flexWrap: 'nowrap' }}>
        <span className="quiet label-column">Name</span>
        <Input
          size="small"
          aria-label="Name of the element"
          value={name ?? element.name}
          maxLength={100}
          onChange={(e) => setName(e.target.value)}
          onBlur={rename}
          onPressEnter={rename}
        />
      </div>
      <div className="row" style={{ flexWrap: 'nowrap' }}>
        <span className="quiet label-column">Picture</span>
        <Select
          className="grow"
          size="small"
          aria-label="Picture of the element"
          value={element.beauty}
          options={named(pictures)}
          onChange={(beauty: PassId) => set('another picture', { beauty })}
        />
      </div>
      {surfaces.length > 0 && lightPassesOf(settings, element).length === 0 && (
        <div className="row" style={{ flexWrap: 'nowrap' }}>
          <span className="quiet label-column">It is</span>
          <Select
            className="grow"
            size="small"
            aria-label="Whether it is a light pass of another element"
            value={element.lightOf ?? ''}
            options={[
              { value: '', label: 'an element of its own' },
              ...surfaces.map((e) => ({ value: e.id, label: `a light pass of ${e.name}: part of its beauty` })),
            ]}
            onChange={(value: ElementId | '') =>
              set(value === '' ? 'an element of its own' : 'a light pass', { lightOf: value === '' ? null : value })
            }
          />
        </div>
      )}
      {surface === null ? (
        <MatteRow element={element} onMatte={(matte, label) => set(label, { matte })} />
      ) : (
        <span className="evidence">
          {isApart(element)
            ? `It is taken out of the picture of ${surface.name}, blurred with its own motion, and added again.`
            : `Without motion of its own it stays in the picture of ${surface.name} and is blurred with that.`}
        </span>
      )}
      <div className="row" style={{ flexWrap: 'nowrap' }}>
        <span className="quiet label-column">Motion</span>
        <Select
          className="grow"
          size="small"
          aria-label="Motion of the element"
          value={element.motion ?? ''}
          options={[
            { value: '', label: surface === null ? 'does not move, or is blurred already' : 'none of its own yet' },
            ...named(motions),
          ]}
          onChange={(value: PassId | '') => setMotion(value === '' ? null : value)}
        />
      </div>
      {surface !== null && element.motion === null && <EstimateRow element={element} />}
      {element.motion !== null && (
        <>
          {others.length > 0 && (
            <div className="row" style={{ flexWrap: 'nowrap' }}>
              <span className="quiet label-column">Read</span>
              <Select
                className="grow"
                size="small"
                aria-label="How the motion of the element is read"
                value={element.readAs ?? ''}
                options={[
                  { value: '', label: element.encoding === null ? 'not read yet' : 'in its own way' },
                  ...others.map((e) => ({ value: e.id, label: `as ${e.name} is, also when that changes` })),
                ]}
                onChange={(value) => {
                  const source = others.find((e) => e.id === value) ?? null;
                  const reading = source === null ? {} : { encoding: source.encoding, repairs: source.repairs };
                  set(source === null ? 'read in its own way' : `read as ${source.name}`, { readAs: source?.id ?? null, ...reading });
                }}
              />
            </div>
          )}
          {element.encoding === null && (
            <span className="bad">
              Its motion is not read yet: <Link to="../motion">read it in step Motion</Link>, or take the reading of another element.
            </span>
          )}
          <div className="row">
            <span className="quiet label-column">Shutter</span>
            <WhoseShutter
              own={element.shutter}
              shots={surface?.shutter ?? settings.shutter}
              onChange={(shutter, label) => set(label, { shutter })}
            />
            <Link to="../shutter">Set it</Link>
          </div>
          <DragNumber
            label="Strength times"
            value={element.factor}
            step={0.01}
            min={0}
            max={10}
            onLive={(factor) => tune((s) => withElement(s, id, (e) => ({ ...e, factor })))}
            onCommit={(factor) => set(`strength times ${factor}`, { factor })}
          />
          <SpeedTable current={element} />
        </>
      )}
    </section>
  );
}

function MatteRow({ element, onMatte }: { element: Element; onMatte: (matte: ElementMatte | null, label: string) => void }) {
  const { whole } = useShotContext();
  const { settings } = useTuning();
  const { matte } = element;
  const passes = whole.passes.filter((p) => ['matte', 'shadow'].includes(roleOf(settings, p)) || p.id === matte?.pass);
  const pick = useObjectPick(element, onMatte);
  const keyOf = (m: ElementMatte) => (m.kind === 'pass' ? `pass ${m.pass}` : `objects ${m.pass} ${m.ids.join(',')}`);
  const picked = matte?.kind === 'objects' ? [{ matte, label: 'picked objects' }] : [];
  const kept: { matte: ElementMatte; label: string }[] = [
    ...passes.map((p) => ({
      matte: { kind: 'pass' as const, pass: p.id, invert: matte?.invert ?? false },
      label: `${passLabel(p, whole.passes)} (matte)`,
    })),
    ...settings.mattes
      .filter((m) => m.ids.length > 0)
      .map((m) => ({
        matte: { kind: 'objects' as const, pass: m.pass, ids: m.ids, invert: matte?.invert ?? false },
        label: `${m.name} (objects)`,
      })),
  ];
  // What was picked has no name, unless it is what was kept under one.
  const choices = [...kept, ...picked.filter((p) => !kept.some((k) => keyOf(k.matte) === keyOf(p.matte)))];
  return (
    <>
      <div className="row" style={{ flexWrap: 'nowrap' }}>
        <span className="quiet label-column">Of it</span>
        <Select
          className="grow"
          size="small"
          aria-label="What of the picture is the element's"
          value={matte === null ? '' : keyOf(matte)}
          options={[{ value: '', label: 'all that it covers' }, ...choices.map((c) => ({ value: keyOf(c.matte), label: c.label }))]}
          onChange={(value) => {
            const chosen = choices.find((c) => keyOf(c.matte) === value) ?? null;
            onMatte(chosen?.matte ?? null, chosen === null ? 'all of its picture' : `cut out by ${chosen.label}`);
          }}
        />
        {matte !== null && (
          <Checkbox
            checked={matte.invert}
            onChange={(e) =>
              onMatte({ ...matte, invert: e.target.checked }, e.target.checked ? 'what the matte leaves' : 'what the matte covers')
            }
          >
            the rest
          </Checkbox>
        )}
      </div>
      {pick.canPick && (
        <div className="row">
          <span className="label-column" />
          <Button size="small" type={pick.isOn ? 'primary' : 'default'} aria-pressed={pick.isOn} onClick={pick.toggle}>
            {pick.isOn ? 'Click objects in the picture; done' : 'Pick objects in the picture'}
          </Button>
          {matte?.kind === 'objects' && (
            <span className="quiet">{matte.ids.length === 1 ? '1 object' : `${matte.ids.length} objects`}</span>
          )}
        </div>
      )}
      {choices.length === 0 && !pick.canPick && <span className="evidence">This shot has no matte and no ids pass to cut it out by.</span>}
    </>
  );
}
