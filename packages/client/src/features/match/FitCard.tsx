import { roleOf, type MatchReport, type PassId } from '@ivrex/contract';
import { shutterAngleDeg, shutterAt, type GradeFit, type MatchLocks } from '@ivrex/core';
import { Button, Select, Switch } from 'antd';
import { Choice } from '../../ui/Choice';
import { useState } from 'react';
import { Link } from 'react-router';
import { useFindShutter, useNewestMatch } from '../../api/match';
import { sentenceOf } from '../../api/request';
import { useView } from '../../viewer/view-store';
import { useShotContext } from '../shot/ShotPage';
import { FitResult } from './FitResult';
import { SHAPE_NAMES } from './shape-names';

interface Held {
  readonly opens: boolean;
  readonly closes: boolean;
  readonly strength: boolean;
  readonly shape: boolean;
}

/** Finds the shutter of a reference: what is held stays as it is set. */
export function FitCard() {
  const { detail, shutter } = useShotContext();
  const { passes, settings, shot } = detail;
  const references = passes.filter((p) => roleOf(settings, p) === 'reference');
  const [chosen, setChosen] = useState<PassId | null>(null);
  const [held, setHeld] = useState<Held>({ opens: false, closes: false, strength: true, shape: true });
  const [grade, setGrade] = useState<GradeFit>('auto');
  const frame = useView((s) => s.frame);
  const find = useFindShutter(detail),
    newest = useNewestMatch(shot.id);
  const report: MatchReport | null = newest.data ?? null;
  const reference = references.find((p) => p.id === (chosen ?? report?.reference)) ?? references.at(0);
  if (reference === undefined)
    return (
      <section className="card open" data-testid="fit-card">
        <b>Find the shutter</b>
        <span className="evidence">
          No pass of this shot is marked as a reference. Render one frame with its blur, put it into the shot&apos;s folder, and give it the
          role in step <Link to="../passes">Passes</Link>. Without one, the plate&apos;s streaks tell the angle too.
        </span>
      </section>
    );
  const now = shutterAt(shutter, frame);
  const locks: MatchLocks = {
    opens: held.opens ? now.opens : null,
    closes: held.closes ? now.closes : null,
    strength: held.strength ? now.strength : null,
    shape: held.shape ? (now.shape ?? { kind: 'even' }) : null,
  };
  const hold = (name: keyof Held, label: string, value: string) => (
    <label className="row" key={name} style={{ flexWrap: 'nowrap' }}>
      <Switch size="small" checked={held[name]} onChange={(on) => setHeld({ ...held, [name]: on })} aria-label={`Hold ${label}`} />
      <span>
        {label} <span className="quiet">{value}</span>
      </span>
    </label>
  );
  return (
    <section className={report === null ? 'card open' : 'card'} data-testid="fit-card">
      <b>Find the shutter</b>
      <Select<string>
        size="small"
        aria-label="Reference"
        value={reference.id}
        options={references.map((p) => ({ value: p.id, label: `${p.name}${p.frames === null ? '' : `, ${p.frames.length} frames`}` }))}
        onChange={(id) => setChosen(id as PassId)}
      />
      <span className="quiet">Hold as it is set:</span>
      <div className="grid2" role="group" aria-label="What is held as it is set">
        {hold('opens', 'opens', now.opens.toFixed(3))}
        {hold('closes', 'closes', now.closes.toFixed(3))}
        {hold('strength', 'strength', now.strength.toFixed(2))}
        {hold('shape', 'exposure', SHAPE_NAMES[now.shape?.kind ?? 'even'])}
      </div>
      <div className="row">
        <span className="quiet">Its colours</span>
        <Choice
          name="How the reference may be graded"
          value={grade}
          style={{ flex: 1 }}
          words={{ auto: 'may be graded', none: 'are as rendered', gain: 'have another gain', gainOffset: 'have gain and offset' }}
          onChange={setGrade}
        />
      </div>
      <Button
        size="small"
        type="primary"
        loading={find.isPending}
        disabled={held.opens && held.closes && held.strength}
        onClick={() => find.mutate({ reference: reference.id, frames: null, locks, grade })}
      >
        {find.isPending ? 'Blurring and comparing' : 'Find it'}
      </Button>
      {find.isError && (
        <span className="evidence bad" role="alert">
          {sentenceOf(find.error)}
        </span>
      )}
      {report !== null && <FitResult report={report} now={shutterAngleDeg(now)} />}
    </section>
  );
}
