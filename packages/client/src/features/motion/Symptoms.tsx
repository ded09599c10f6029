import { CloseCircleFilled, InfoCircleOutlined, WarningFilled } from '@ant-design/icons';
import { isSameEncoding, type MotionReading } from '@ivrex/contract';
import { assertNever, isRepaired, type Encoding, type Mend, type RepairStep } from '@ivrex/core';
import { Button } from 'antd';
import { useNavigate } from 'react-router';
import { useView } from '../../viewer/view-store';
import { repairLabel } from './repair-words';

interface Props {
  readonly reading: MotionReading;
  readonly agreed: Encoding | null;
  readonly repairs: readonly RepairStep[];
  readonly onTake: (encoding: Encoding) => void;
  readonly onRepair: (step: RepairStep, label: string) => void;
  readonly onShift: (by: number) => void;
}

const ICONS = {
  error: <CloseCircleFilled className="error" />,
  warning: <WarningFilled className="warning" />,
  info: <InfoCircleOutlined className="quiet" />,
} as const;

/** What is wrong with the pass: what, what it does in the blur, and a button that mends it. */
export function Symptoms(props: Props) {
  const { reading } = props;
  const set = useView((s) => s.set);
  if (reading.symptoms.length === 0) return null;
  return (
    <section className="card" data-testid="symptoms">
      {reading.symptoms.map((symptom) => {
        const { at } = symptom;
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
              {symptom.mend !== null && (
                <div className="row fixes">
                  <MendButton mend={symptom.mend} {...props} />
                </div>
              )}
            </div>
          </div>
        );
      })}
    </section>
  );
}

function MendButton({ mend, reading, agreed, repairs, onTake, onRepair, onShift }: Props & { readonly mend: Mend }) {
  const navigate = useNavigate();
  switch (mend.kind) {
    case 'reading': {
      const isTaken = agreed !== null && isSameEncoding(agreed, reading.encoding);
      return (
        <Button size="small" disabled={isTaken} onClick={() => onTake(reading.encoding)}>
          {isTaken ? 'The proposed reading is used' : 'Take the proposed reading'}
        </Button>
      );
    }
    case 'repair': {
      const isOn = isRepaired(repairs, mend.step),
        label = repairLabel(mend.step);
      return (
        <Button size="small" disabled={isOn} onClick={() => onRepair(mend.step, label)}>
          {isOn ? `${label}: is on` : label}
        </Button>
      );
    }
    case 'shift':
      return (
        <Button size="small" onClick={() => onShift(mend.frames)}>
          Shift the motion by {mend.frames > 0 ? '+1' : '-1'}
        </Button>
      );
    case 'otherBeauty':
      return (
        <Button size="small" onClick={() => void navigate('../passes', { relative: 'path' })}>
          Choose another beauty
        </Button>
      );
    case 'makeMotion':
      return (
        <Button size="small" onClick={() => document.getElementById('make-motion')?.scrollIntoView({ behavior: 'smooth' })}>
          Make motion instead
        </Button>
      );
    default:
      return assertNever(mend);
  }
}
