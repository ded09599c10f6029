import { frameRuns, timeText, type Delivery, type Product } from '@ivrex/contract';
import { Alert, Button, Progress, Tag, Typography } from 'antd';
import dayjs from 'dayjs';
import { useDeliveryAction } from '../../api/deliveries';
import { sentenceOf } from '../../api/request';

export const STATE_NAMES: Record<Delivery['state'], string> = {
  running: 'rendering',
  paused: 'paused',
  finishing: 'the last part',
  done: 'done',
  failed: 'not all of it',
  cancelled: 'cancelled',
};

export const STATE_COLOURS: Record<Delivery['state'], string> = {
  running: 'processing',
  paused: 'warning',
  finishing: 'processing',
  done: 'success',
  failed: 'error',
  cancelled: 'default',
};

const PRODUCTS: Record<Product['kind'], string> = {
  assembled: 'assembled',
  element: 'picture',
  motion: 'motion',
  matte: 'matte',
  trust: 'trust map',
};
const FORMS = { exr: 'OpenEXR', tiff: 'TIFF', png: 'PNG', movie: 'movie' } as const;

/** "assembled, 2 mattes as OpenEXR". */
export function whatWords({ what, form }: Delivery['options']): string {
  const kinds = [...new Set(what.map((p) => p.kind))].map((kind) => {
    const n = what.filter((p) => p.kind === kind).length;
    return n === 1 ? PRODUCTS[kind] : `${n} ${PRODUCTS[kind]}s`;
  });
  return `${kinds.join(', ')} as ${FORMS[form.kind]}`;
}

/** How far one delivery is, and what can be done about it. */
export function DeliveryCard({ delivery }: { delivery: Delivery }) {
  const { state, frames, options } = delivery;
  const done = frames.filter((f) => f.state === 'done').length,
    kept = frames.filter((f) => f.kept).length;
  const failed = frames.filter((f) => f.state === 'failed'),
    again = frames.filter((f) => f.state === 'waiting' && f.error !== null);
  return (
    <div className="card" data-testid="delivery" data-state={state}>
      <div className="row">
        <b className="grow" style={{ overflowWrap: 'anywhere' }}>
          {options.name}
          {options.existing === 'versionUp' ? ` v${String(options.version).padStart(3, '0')}` : ''}
        </b>
        <Tag color={STATE_COLOURS[state]}>{STATE_NAMES[state]}</Tag>
      </div>
      <Progress
        percent={Math.round((100 * done) / frames.length)}
        size="small"
        status={state === 'failed' ? 'exception' : state === 'done' ? 'success' : 'normal'}
      />
      <div className="frame-cells">
        {frames.map((f) => (
          <i key={f.frame} className={f.kept ? 'kept' : f.state} title={`${f.frame}: ${f.error ?? (f.kept ? 'was there' : f.state)}`} />
        ))}
      </div>
      <span className="evidence">
        {done} of {frames.length} frames{kept > 0 ? `, ${kept} were there` : ''}
        {delivery.secondsLeft === null ? '' : `, about ${timeText(delivery.secondsLeft)} left`} · {whatWords(options)} · {delivery.shutter}{' '}
        · {dayjs(delivery.createdAt).format('D MMM HH:mm')}
      </span>
      {failed.slice(0, 3).map((f) => (
        <Trouble key={f.frame} text={`Frame ${f.frame}: ${f.error ?? ''}`} />
      ))}
      {again.slice(0, 2).map((f) => (
        <Trouble key={f.frame} text={`Frame ${f.frame} is tried again (${f.attempt + 1} of 3): ${f.error ?? ''}`} />
      ))}
      {notesOf(frames).map((text) => (
        <Trouble key={text} text={text} word="warning" />
      ))}
      {delivery.error !== null && <Trouble text={delivery.error} />}
      <Typography.Text
        className="evidence"
        copyable={{ text: delivery.folder, tooltips: ['Copy the folder', 'Copied'] }}
        style={{ overflowWrap: 'anywhere' }}
      >
        {delivery.folder}
      </Typography.Text>
      <DeliveryActions delivery={delivery} />
    </div>
  );
}

/** What was odd about frames that were made, each sentence once. */
function notesOf(frames: Delivery['frames']): string[] {
  const notes = [...new Set(frames.flatMap((f) => f.notes))];
  const told = notes.slice(0, MOST_NOTES).map((note) => {
    const at = frames.filter((f) => f.notes.includes(note)).map((f) => f.frame);
    return `${at.length === 1 ? `Frame ${at[0]}` : `Frames ${frameRuns(at)}`}: ${note}`;
  });
  return notes.length <= MOST_NOTES ? told : [...told, `and ${notes.length - MOST_NOTES} more`];
}
const MOST_NOTES = 3;

function Trouble({ text, word = 'error' }: { text: string; word?: 'error' | 'warning' }) {
  return (
    <span className="finding">
      <span className={word}>!</span>
      <span>{text}</span>
    </span>
  );
}

/** Pause, go on, cancel, render what is missing: whatever makes sense now. */
export function DeliveryActions({ delivery: { id, state } }: { delivery: Delivery }) {
  const { mutate, isPending, isError, error } = useDeliveryAction();
  const button = (label: string, action: 'cancel' | 'pause' | 'resume', danger = false) => (
    <Button size="small" danger={danger} disabled={isPending} onClick={() => mutate({ id, action })}>
      {label}
    </Button>
  );
  return (
    <div className="row">
      {state === 'running' && button('Pause', 'pause')}
      {state === 'paused' && button('Go on', 'resume')}
      {(state === 'running' || state === 'paused' || state === 'finishing') && button('Cancel', 'cancel', true)}
      {(state === 'failed' || state === 'cancelled') && button('Render what is missing', 'resume')}
      {isError && <Alert type="error" showIcon title={sentenceOf(error)} />}
    </div>
  );
}
