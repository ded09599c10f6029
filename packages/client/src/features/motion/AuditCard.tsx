import { isRepaired, roundRange, summarizeAudit, type RepairStep } from '@ivrex/core';
import type { ShotDetail } from '@ivrex/contract';
import { Button } from 'antd';
import { useAuditControl, useMotionAudit } from '../../api/motion';
import { sentenceOf } from '../../api/request';
import { ProgressRow } from '../../ui/ProgressRow';
import { useView } from '../../viewer/view-store';
import { repairLabel } from './repair-words';

interface Props {
  readonly detail: ShotDetail;
  readonly onRepair: (step: RepairStep, label: string) => void;
}

const CONTINUE = { kind: 'fillHoles', on: true, clipped: true } as const;

/** All frames under the agreed reading: the frame that decides the range, what is clipped, and how fine each type's steps would be. */
export function AuditCard({ detail, onRepair }: Props) {
  const audit = useMotionAudit(detail),
    control = useAuditControl(detail);
  const set = useView((s) => s.set);
  const { data } = audit;
  const isContinued = isRepaired(detail.settings.elements[0].repairs, CONTINUE);
  if (audit.isError)
    return (
      <section className="card">
        <b>All frames</b>
        <span className="bad">{sentenceOf(audit.error)}</span>
      </section>
    );
  if (data === undefined || data === null) return null;
  const done = data.frames.length + data.failed.length;
  const summary = summarizeAudit(data.frames.map((f) => ({ frame: f.frame, audit: f })));
  const goTo = (frame: number, pin: { x: number; y: number } | null = null) =>
    set({ frame, playing: false, ...(pin === null ? {} : { pins: [...useView.getState().pins, pin].slice(-6) }) });
  const widest = data.frames.find((f) => f.frame === summary.widestFrame);
  return (
    <section className="card" data-testid="audit-card">
      <b>All frames</b>
      {data.state !== 'done' && (
        <ProgressRow label="Frames audited" done={done} total={data.total} secondsLeft={data.secondsLeft}>
          <Button size="small" onClick={() => control.mutate(data.state === 'running' ? 'cancel' : 'resume')}>
            {data.state === 'running' ? 'Stop' : 'Go on'}
          </Button>
        </ProgressRow>
      )}
      {widest !== undefined && (
        <span>
          <button type="button" className="finding-text" title="Show it" onClick={() => goTo(widest.frame, widest.at)}>
            Frame {widest.frame} decides the range
          </button>
          : its longest vector is {widest.peakPx.toFixed(2)} px, its largest x or y {widest.rangePx.toFixed(2)} px. To write the pass with
          whole numbers choose {summary.suggestedRangePx} px
          {summary.steadySuggestionPx < summary.suggestedRangePx
            ? `; ${roundRange(summary.steadySuggestionPx)} px would do without the fastest thousandth of the pixels`
            : ''}
          .
        </span>
      )}
      {summary.clippedFrames.length > 0 && (
        <>
          <span>
            <span className="bad">The range was too small</span>: values are stuck at its end in{' '}
            {summary.clippedFrames.slice(0, 12).map((frame, i) => (
              <span key={frame}>
                {i > 0 && ', '}
                <button type="button" className="finding-text" title="Show it" onClick={() => goTo(frame)}>
                  frame {frame}
                </button>
              </span>
            ))}
            {summary.clippedFrames.length > 12 ? ` and ${summary.clippedFrames.length - 12} more` : ''}
          </span>
          <div className="row">
            {isContinued ? (
              <span className="quiet">The motion is continued there (see the repairs).</span>
            ) : (
              <Button size="small" onClick={() => onRepair(CONTINUE, repairLabel(CONTINUE))}>
                {repairLabel(CONTINUE)}
              </Button>
            )}
          </div>
        </>
      )}
      {summary.notFiniteFrames.length > 0 && (
        <span>
          NaN or infinite values in {summary.notFiniteFrames.length === 1 ? 'frame' : 'frames'}{' '}
          {summary.notFiniteFrames.slice(0, 12).join(', ')}.
        </span>
      )}
      {data.failed.length > 0 && (
        <span>
          {data.failed.length === 1 ? 'A frame' : `${data.failed.length} frames`} could not be read: {data.failed[0].frame},{' '}
          {data.failed[0].message}.
        </span>
      )}
      {data.frames.length > 0 && (
        <table className="steps-table">
          <caption className="quiet">One step at {summary.suggestedRangePx} px, in pixels</caption>
          <tbody>
            <tr>
              <th>8 bits</th>
              <th>16 bits</th>
              <th>half</th>
              <th>float</th>
            </tr>
            <tr>
              {(['u8', 'u16', 'half', 'float'] as const).map((type) => (
                <td key={type} className={summary.stepPx[type] > 0.25 ? 'bad' : undefined}>
                  {Number(summary.stepPx[type].toPrecision(2))}
                </td>
              ))}
            </tr>
          </tbody>
        </table>
      )}
    </section>
  );
}
