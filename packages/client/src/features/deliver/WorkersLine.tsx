import { Alert } from 'antd';
import { Link } from 'react-router';
import { useQueue } from '../../api/deliveries';

/** Who renders, in one line. */
export function WorkersLine() {
  const { data } = useQueue();
  if (data === undefined) return null;
  const there = data.workers.filter((w) => w.state !== 'gone'),
    working = there.filter((w) => w.state === 'working');
  if (there.length === 0)
    return (
      <Alert
        type="warning"
        showIcon
        title="Nobody renders just now: no worker is running. What is ordered waits until one is started with npm run worker."
      />
    );
  return (
    <span className="evidence" data-testid="workers-line">
      {there.length === 1 ? 'One worker renders' : `${there.length} workers render`}
      {working.length === 0 ? ', nothing to do just now' : `, ${working.length} at work`} · <Link to="/queue">Queue</Link>
    </span>
  );
}
