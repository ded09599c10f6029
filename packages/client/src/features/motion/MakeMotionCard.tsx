import { madeNameSchema, type MadeName, type MadeSource, type ShotDetail } from '@ivrex/contract';
import { Alert, Button, Popconfirm, Segmented, Spin } from 'antd';
import { useState } from 'react';
import { useMakeMotion, useMakingMotion, useMotionTrial, useRemoveMade } from '../../api/made-motion';
import { sentenceOf } from '../../api/request';
import { ProgressRow } from '../../ui/ProgressRow';
import { useView } from '../../viewer/view-store';
import { CameraSource } from './CameraSource';
import { RenderSource } from './RenderSource';

type Way = MadeSource['kind'];
const WAYS: { value: Way; label: string }[] = [
  { value: 'camera', label: 'Camera' },
  { value: 'pictures', label: 'Pictures' },
  { value: 'render', label: 'Other render' },
];
const ABOUT: Record<Way, string> = {
  camera: 'Where the surface of each pixel lies, and where the camera of the frames beside it sees it. Exact for all that stands still.',
  pictures:
    'Followed from frame to frame in the beauty itself. Each vector gets a trust: what is hidden or has no texture is carried on from around.',
  render: 'The motion of another render of the same animation, brought to this size.',
};

/** Motion where the render brought none: tried on the frame on screen, held against the pictures, then made for all frames. */
export function MakeMotionCard({ detail, isOnlyWay }: { detail: ShotDetail; isOnlyWay: boolean }) {
  const hasCamera = detail.passes.some((p) => p.facts.some((f) => f.name === 'worldToNDC'));
  const [way, setWay] = useState<Way | null>(isOnlyWay ? (hasCamera ? 'camera' : 'pictures') : null),
    [chosen, setChosen] = useState<MadeSource | null>(null);
  const frame = useView((s) => s.frame);
  const source = way === 'pictures' ? ({ kind: 'pictures' } as const) : chosen?.kind === way ? chosen : null;
  const trial = useMotionTrial(detail, source, frame),
    making = useMakingMotion(detail.shot.id),
    make = useMakeMotion(detail);
  const status = making.data ?? null;
  if (way === null)
    return (
      <section className="card">
        <b>No usable pass?</b>
        <span className="evidence">Motion can be made from the camera, from the pictures, or taken from another render.</span>
        <div className="row">
          <Button size="small" onClick={() => setWay(hasCamera ? 'camera' : 'pictures')}>
            Make motion
          </Button>
        </div>
        <MadePasses detail={detail} />
      </section>
    );
  return (
    <section className={`card ${isOnlyWay ? 'open' : ''}`} data-testid="make-motion">
      <b>Make motion</b>
      <Segmented block size="small" aria-label="What motion is made from" value={way} options={WAYS} onChange={setWay} />
      <span className="evidence">{ABOUT[way]}</span>
      {way === 'camera' && <CameraSource detail={detail} frame={frame} onChange={setChosen} />}
      {way === 'render' && <RenderSource detail={detail} onChange={setChosen} />}
      {source !== null && <Trial trial={trial} frame={frame} />}
      {status?.state === 'running' ? (
        <ProgressRow label="Motion made" done={status.done} total={status.total} secondsLeft={status.secondsLeft}>
          <Button size="small" onClick={() => make.mutate('cancel')}>
            Stop
          </Button>
        </ProgressRow>
      ) : (
        <div className="row">
          <Button
            type={isOnlyWay ? 'primary' : 'default'}
            size="small"
            disabled={source === null || trial.isError}
            loading={make.isPending}
            onClick={() => source !== null && make.mutate(source)}
          >
            {status?.state === 'cancelled' ? 'Go on with all frames' : 'Make it for all frames'}
          </Button>
        </div>
      )}
      {make.isError && <Alert type="error" showIcon title={sentenceOf(make.error)} />}
      {status !== null && status.state !== 'running' && (
        <span className="evidence" data-testid="make-result">
          {status.state === 'cancelled' ? 'Stopped. ' : ''}
          {status.done} of {status.total} frames made
          {status.state === 'done' || status.done === status.total ? '; they are the shot’s motion now (undo takes that back)' : ''}.
          {status.warnings.map((text) => ` ${text}`)}
          {status.failed.length > 0 && (
            <span className="bad">
              {' '}
              Frame {status.failed[0].frame}: {status.failed[0].message}.
            </span>
          )}
        </span>
      )}
      <MadePasses detail={detail} />
    </section>
  );
}

/** What was made for the shot so far, each with a way to be rid of it. */
function MadePasses({ detail }: { detail: ShotDetail }) {
  const remove = useRemoveMade(detail.shot.id);
  const made = new Map<MadeName, boolean>();
  for (const pass of detail.passes) {
    const name = madeNameSchema.safeParse(/^\(made\)\/([^/]+)\//.exec(pass.file)?.[1]);
    if (name.success) made.set(name.data, (made.get(name.data) ?? false) || detail.settings.elements[0].motion === pass.id);
  }
  return [...made].map(([name, isUsed]) => (
    <div className="row" key={name} style={{ flexWrap: 'nowrap' }}>
      <span className="grow evidence">
        {madeWords(name)} was made{isUsed ? ' and is the shot’s motion' : ''}.
      </span>
      <Popconfirm
        title={`Remove ${name}?`}
        description={isUsed ? 'The shot has no motion then, until another pass is chosen or made.' : 'It can be made again.'}
        okText="Remove"
        onConfirm={() => remove.mutate(name)}
      >
        <Button size="small" aria-label={`Remove ${name}`} loading={remove.isPending}>
          Remove
        </Button>
      </Popconfirm>
      {remove.isError && <span className="bad">{sentenceOf(remove.error)}</span>}
    </div>
  ));
}

const MADE_WORDS: readonly (readonly [string, string])[] = [
  ['motion_from_camera', 'Motion from the camera'],
  ['motion_from_pictures', 'Motion from the pictures'],
  ['motion_borrowed', 'Motion of another render'],
];

/** What was made, and for which element unless it is the main one. */
function madeWords(name: MadeName): string {
  const [start, words] = MADE_WORDS.find(([known]) => name.startsWith(known)) ?? [name, name];
  return name === start ? words : `${words} for ${name.slice(start.length + 1)}`;
}

function Trial({ trial, frame }: { trial: ReturnType<typeof useMotionTrial>; frame: number }) {
  if (trial.isError) return <Alert type="error" showIcon title={sentenceOf(trial.error)} />;
  if (trial.data === undefined)
    return (
      <div className="row" role="status">
        <Spin size="small" /> <span>Trying it on frame {frame}.</span>
      </div>
    );
  const { proof, peakPx, reached, trusted, depthKind, offByPx, warnings } = trial.data;
  const fits = proof !== null && proof.after < 0.6 * proof.before;
  return (
    <div className="evidence" data-testid="motion-trial">
      {proof === null ? (
        <>Frame {trial.data.frame} has no neighbour or no texture to hold it against. </>
      ) : (
        <>
          Tried on frame {trial.data.frame}: fetched back along these vectors the frames beside it differ by{' '}
          <b className={fits ? 'good' : 'bad'}>{proof.after.toFixed(4)}</b> instead of {proof.before.toFixed(4)}
          {fits ? '' : ', which is hardly better than without them'}.{' '}
        </>
      )}
      The longest vector is {peakPx.toFixed(1)} px.
      {reached < 0.999 && ` ${((1 - reached) * 100).toFixed(1)} % of what is covered has no vector.`}
      {trusted !== null && ` ${Math.round(trusted * 100)} % of the vectors were found both ways.`}
      {depthKind !== null && ` Depth is read ${depthKind === 'alongView' ? 'along the view axis' : 'straight from the eye'}.`}
      {offByPx !== null &&
        (offByPx > 1 ? (
          <span className="bad">
            {' '}
            The camera sees the positions {offByPx.toFixed(1)} px beside their pixels: they do not belong together.
          </span>
        ) : (
          ` The camera sees the positions within ${offByPx.toFixed(2)} px of their pixels.`
        ))}
      {warnings.map((text) => ` ${text}`)}
    </div>
  );
}
