import type { TrustReport } from '@ivrex/contract';
import { TRUST_CAUSES, type TrustCause, type TrustFix } from '@ivrex/core';
import { Button, Spin, Switch } from 'antd';
import { useState } from 'react';
import { useNavigate } from 'react-router';
import { useTrust } from '../../api/match';
import { sentenceOf } from '../../api/request';
import { useView } from '../../viewer/view-store';
import { useShotContext } from '../shot/ShotPage';
import { CostTable } from './CostTable';
import { showPlace } from './show-place';
import { useTrustLook } from './use-trust-look';

export const CAUSE_NAMES: Record<TrustCause, string> = {
  path: 'Paths',
  hidden: 'Hidden parts',
  transparency: 'Seen through',
  vectors: 'Damaged vectors',
  disagreement: 'Not confirmed',
  depth: 'Order guessed',
  oneFrame: 'One frame alone',
};
const WORDS: Record<TrustReport['verdict']['word'], string> = { fine: 'Fine', fix: 'Fix this first', rerender: 'Render it with blur' };

/** Where the blur of this frame can't be trusted, why, and what to do about it. */
export function TrustCard() {
  const { detail } = useShotContext();
  const frame = useView((s) => s.frame),
    look = useView((s) => s.look),
    playing = useView((s) => s.playing);
  const [causes, setCauses] = useState<ReadonlySet<TrustCause>>(new Set(TRUST_CAUSES));
  const [asked, setAsked] = useState(false);
  const isReady = detail.settings.elements[0].encoding !== null;
  const trust = useTrust(detail, frame, isReady && (asked || look === 'trust') && !playing);
  useTrustLook(trust.data ?? null, frame, causes);
  const [element] = detail.settings.elements;
  const shows = look === 'trust';
  return (
    <section className="card" data-testid="trust-card">
      <div className="row">
        <b>Where not to trust it</b>
        <span style={{ flex: 1 }} />
        <Button
          size="small"
          type={shows ? 'primary' : 'default'}
          aria-pressed={shows}
          onClick={() => {
            setAsked(true);
            useView.setState({ look: shows ? 'blurred' : 'trust' });
          }}
        >
          {shows ? 'Back to the blur' : 'Show'}
        </Button>
      </div>
      {trust.isFetching && (
        <span className="evidence">
          <Spin size="small" /> Measuring frame {frame}.
        </span>
      )}
      {trust.isError && (
        <span className="evidence bad" role="alert">
          {sentenceOf(trust.error)}
        </span>
      )}
      {trust.data === undefined ? (
        !trust.isFetching && (
          <span className="evidence">
            Paths, hidden parts, transparency, damaged vectors and what the neighbouring pictures do not confirm are measured, and said
            before anything is rendered.
          </span>
        )
      ) : (
        <>
          <div className="row" data-testid="verdict">
            <span>{element.name}:</span>
            <b className={trust.data.verdict.word === 'fine' ? 'good' : 'bad'}>{WORDS[trust.data.verdict.word]}</b>
            {trust.data.verdict.expectedPsnr !== null && (
              <span className="quiet">about {trust.data.verdict.expectedPsnr.toFixed(0)} dB to be expected</span>
            )}
          </div>
          <span className="evidence">{trust.data.verdict.sentence}</span>
          {trust.data.verdict.causes.map((cause) => (
            <CauseRow
              key={cause.cause}
              cause={cause}
              on={causes.has(cause.cause)}
              onSwitch={(on) =>
                setCauses((before) => new Set([...before].filter((c) => c !== cause.cause).concat(on ? [cause.cause] : [])))
              }
            />
          ))}
          <CostTable cost={trust.data.cost} word={trust.data.verdict.word} />
        </>
      )}
    </section>
  );
}

const FIXES: Record<TrustFix, string> = {
  useArcs: 'Follow arcs',
  lookAround: 'Look at the frames around',
  chooseBackground: 'Choose a clean background',
  chooseDepth: 'Choose a depth pass',
  mendVectors: 'Continue the motion there',
  readMotion: 'Look at the reading',
  mixFrames: 'Mix the neighbouring frames in',
};

interface CauseProps {
  readonly cause: TrustReport['verdict']['causes'][number];
  readonly on: boolean;
  readonly onSwitch: (on: boolean) => void;
}

function CauseRow({ cause, on, onSwitch }: CauseProps) {
  const fix = useFix();
  const percent = (share: number) => `${(100 * share).toFixed(share < 0.0995 ? 1 : 0)} %`;
  return (
    <div className="finding cause">
      <Switch size="small" checked={on} onChange={onSwitch} aria-label={`Show ${CAUSE_NAMES[cause.cause]}`} />
      <div style={{ flex: 1 }}>
        <button type="button" className="finding-text" title="Show the worst place" onClick={() => showPlace(cause.worst)}>
          <b>{CAUSE_NAMES[cause.cause]}</b>{' '}
          <span className="quiet">
            {percent(cause.markedShare)}, likely seen {percent(cause.seenShare)}
          </span>
          <br />
          {cause.sentence}
        </button>
        {cause.fix !== null && (
          <div className="fixes">
            <Button size="small" onClick={() => cause.fix !== null && fix(cause.fix)}>
              {FIXES[cause.fix]}
            </Button>
          </div>
        )}
      </div>
    </div>
  );
}

/** What a cause's button does: the change itself where it is one, else the way to where it is decided. */
function useFix(): (fix: TrustFix) => void {
  const { change } = useShotContext();
  const navigate = useNavigate();
  return (fix) => {
    switch (fix) {
      case 'useArcs':
        return void change('Paths follow arcs', (s) => ({ ...s, path: 'auto' }));
      case 'mixFrames':
        return void change('Neighbouring frames mixed in', (s) => ({ ...s, bothFrames: 'auto' }));
      case 'lookAround':
        return void change('Hidden parts from the frames around', (s) => ({ ...s, hidden: 'auto' }));
      case 'mendVectors':
        return void change('Missing and clipped vectors continued', (s) => {
          const [element, ...others] = s.elements;
          const repairs = [
            ...element.repairs.filter((r) => r.kind !== 'fillHoles'),
            { kind: 'fillHoles', on: true, clipped: true } as const,
          ];
          return { ...s, elements: [{ ...element, repairs }, ...others] };
        });
      case 'chooseBackground':
        return void navigate('../shutter');
      case 'chooseDepth':
        return void navigate('../passes');
      case 'readMotion':
        useView.setState({ look: 'residual' });
        return void navigate('../motion');
    }
  };
}
