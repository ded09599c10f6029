import { bytesText, frameRuns, timeText, type DeliveryPlan } from '@ivrex/contract';
import { Alert, Button } from 'antd';
import { WorkersLine } from './WorkersLine';

interface Props {
  /** Null before it is known. */
  readonly plan: DeliveryPlan | null;
  readonly fault: string | null;
  readonly pending: boolean;
  readonly error: string | null;
  readonly onOrder: () => void;
}

/** What the delivery comes to, said before it is ordered. */
export function PlanCard({ plan, fault, pending, error, onOrder }: Props) {
  const faults = fault === null ? (plan?.faults ?? []) : [fault];
  return (
    <section className="card" data-testid="plan-card">
      {faults.length > 0 ? (
        <Alert type="warning" showIcon title={faults.map((f) => `${f.charAt(0).toUpperCase()}${f.slice(1)}.`).join(' ')} />
      ) : (
        plan !== null && <span data-testid="delivery-plan">{planWords(plan)}</span>
      )}
      {faults.length === 0 && plan !== null && plan.missing.length > 0 && (
        <span className="finding">
          <span className="warning">!</span>
          <span>Not there, and left out: {frameRuns(plan.missing.slice(0, 200))}.</span>
        </span>
      )}
      {faults.length === 0 && plan !== null && plan.failing.length > 0 && (
        <span className="finding" data-testid="failing-frames">
          <span className="warning">!</span>
          <span>
            Can&apos;t be made: {frameRuns(plan.failing.map((f) => f.frame).slice(0, 200))} ({plan.failing[0].message}). Begin later or end
            earlier, or give its pass another number in step Passes.
          </span>
        </span>
      )}
      {error !== null && <Alert type="error" showIcon title={error} />}
      <Button type="primary" loading={pending} disabled={faults.length > 0} onClick={onOrder}>
        Render the sequence
      </Button>
      <WorkersLine />
    </section>
  );
}

function planWords({ frames, kept, files, version, seconds, bytes, measured, freeBytes }: DeliveryPlan): string {
  const left = frames.length - kept;
  const count = (n: number, what: string) => `${n} ${what}${n === 1 ? '' : 's'}`;
  const what = files === frames.length ? count(frames.length, 'frame') : `${count(frames.length, 'frame')} in ${count(files, 'file')}`;
  const same =
    kept === 0 ? '' : kept === frames.length ? ', all there and made of the same' : `, ${kept} of them there and made of the same`;
  if (left === 0) return `${what}${same}: nothing is to be rendered.`;
  const time = seconds === null ? 'how long is known after the first frame' : `about ${timeText(seconds)} on one worker`;
  const disk = `${measured ? 'about' : 'at most'} ${bytesText(bytes)}${freeBytes === null ? '' : ` of ${bytesText(freeBytes)} free`}`;
  return `${what}${version === 1 ? '' : `, version ${version}`}${same}; ${time}; ${disk}.`;
}
