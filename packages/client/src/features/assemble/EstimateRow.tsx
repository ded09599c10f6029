import { focusOn, type Element } from '@ivrex/contract';
import { Button } from 'antd';
import { useMakeMotion, useMakingMotion } from '../../api/made-motion';
import { sentenceOf } from '../../api/request';
import { ProgressRow } from '../../ui/ProgressRow';
import { useShotContext } from '../shot/ShotPage';

/** Motion of a light pass that brought none, followed in its own frames; it becomes the light pass's motion when it is made. */
export function EstimateRow({ element }: { element: Element }) {
  const { whole } = useShotContext();
  const make = useMakeMotion({ ...whole, settings: focusOn(whole.settings, element.id) }),
    status = useMakingMotion(whole.shot.id).data ?? null;
  if (status?.state === 'running')
    return (
      <ProgressRow label="Motion estimated" done={status.done} total={status.total} secondsLeft={status.secondsLeft}>
        <Button size="small" onClick={() => make.mutate('cancel')}>
          Stop
        </Button>
      </ProgressRow>
    );
  return (
    <>
      <div className="row">
        <Button
          size="small"
          type="primary"
          // Only what is kept is known where the motion is made.
          disabled={!whole.settings.elements.some((e) => e.id === element.id)}
          loading={make.isPending}
          onClick={() => make.mutate({ kind: 'pictures' })}
        >
          Estimate it from its own frames
        </Button>
      </div>
      {make.isError && <span className="bad">{sentenceOf(make.error)}</span>}
      {status !== null && status.failed.length > 0 && (
        <span className="bad">
          Frame {status.failed[0].frame}: {status.failed[0].message}.
        </span>
      )}
    </>
  );
}
