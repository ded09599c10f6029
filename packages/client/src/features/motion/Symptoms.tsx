import { CloseCircleFilled, InfoCircleOutlined, WarningFilled } from '@ant-design/icons';
import type { MotionReading } from '@ivrex/contract';
import type { RepairStep } from '@ivrex/core';
import { Button } from 'antd';
import { useView } from '../../viewer/view-store';

type Symptom = MotionReading['symptoms'][number];

interface Props {
  readonly reading: MotionReading;
  readonly repairs: readonly RepairStep[];
  readonly onRepair: (step: RepairStep, label: string) => void;
  readonly onShift: (by: number) => void;
}

const ICONS = {
  error: <CloseCircleFilled className="error" />,
  warning: <WarningFilled className="warning" />,
  info: <InfoCircleOutlined className="quiet" />,
} as const;

/** What is wrong with the pass: what, what it does in the blur, and a button that mends it. */
export function Symptoms({ reading, repairs, onRepair, onShift }: Props) {
  const set = useView((s) => s.set);
  if (reading.symptoms.length === 0) return null;
  return (
    <section className="card" data-testid="symptoms">
      {reading.symptoms.map((symptom) => {
        const { at } = symptom,
          mend = repairFor(symptom);
        const done = mend !== null && repairs.some((r) => r.kind === mend.step.kind && r.on);
        return (
          <div className="finding" key={symptom.code + symptom.message}>
            {ICONS[symptom.severity]}
            <div>
              {at === null ? (
                <span>{symptom.message}</span>
              ) : (
                <button
                  type="button"
                  className="finding-text"
                  title="Show it"
                  onClick={() => set({ frame: reading.frame, playing: false, pins: [...useView.getState().pins, at].slice(-6) })}
                >
                  {symptom.message}
                </button>
              )}{' '}
              {symptom.effect !== null && <span className="quiet">{symptom.effect} </span>}
              {symptom.advice !== null && <span className="quiet">{symptom.advice}</span>}
              {(mend !== null || symptom.code === 'frameOff') && (
                <div className="row fixes">
                  {mend !== null && (
                    <Button size="small" disabled={done} onClick={() => onRepair(mend.step, mend.label)}>
                      {done ? `${mend.label}: is on` : mend.label}
                    </Button>
                  )}
                  {symptom.code === 'frameOff' && (
                    <Button size="small" onClick={() => onShift(reading.frameOffset)}>
                      Shift the motion by {reading.frameOffset > 0 ? '+1' : '-1'}
                    </Button>
                  )}
                </div>
              )}
            </div>
          </div>
        );
      })}
    </section>
  );
}

function repairFor({ code, message }: Symptom): { step: RepairStep; label: string } | null {
  if (code === 'clippedRange')
    return { step: { kind: 'fillHoles', on: true, clipped: true }, label: 'Continue the motion where it is clipped' };
  if (code === 'badPixels' || code === 'blackHoles')
    return { step: { kind: 'fillHoles', on: true, clipped: false }, label: 'Fill the holes from beside them' };
  if (code !== 'mixedEdges') return null;
  return message.includes('soft')
    ? { step: { kind: 'growEdges', on: true, reachPx: 6 }, label: 'Grow vectors under soft edges' }
    : { step: { kind: 'outliers', on: true }, label: 'Replace lone vectors at edges' };
}
