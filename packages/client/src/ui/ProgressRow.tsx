import { timeText } from '@ivrex/contract';
import { Progress } from 'antd';
import type { ReactNode } from 'react';

interface Props {
  readonly label: string;
  readonly done: number;
  readonly total: number;
  readonly secondsLeft?: number | null;
  /** How it is stopped. */
  readonly children?: ReactNode;
}

/** How far something is that takes a while. */
export function ProgressRow({ label, done, total, secondsLeft = null, children }: Props) {
  return (
    <div className="row" style={{ flexWrap: 'nowrap' }}>
      <Progress
        className="grow"
        aria-label={label}
        percent={Math.round((100 * done) / Math.max(1, total))}
        size="small"
        showInfo={false}
        strokeColor="var(--accent)"
      />
      <span className="quiet">
        {done} of {total}
        {secondsLeft === null ? '' : `, about ${timeText(secondsLeft)} left`}
      </span>
      {children}
    </div>
  );
}
