import { CheckOutlined, EyeOutlined } from '@ant-design/icons';
import { isSameEncoding, type MotionReading } from '@ivrex/contract';
import { describeEncoding, type Encoding } from '@ivrex/core';
import { Alert, Button, Progress, Segmented, Spin } from 'antd';
import type { ReactNode } from 'react';
import { useView } from '../../viewer/view-store';

interface Props {
  readonly reading: MotionReading | null;
  readonly isMeasuring: boolean;
  readonly problem: string | null;
  /** A start from the channels' names, for when nothing can be measured. */
  readonly byName: Encoding | null;
  readonly agreed: Encoding | null;
  readonly onTake: (encoding: Encoding) => void;
  readonly onAskFrame: () => void;
  readonly frame: number;
}

/** What the pictures say about the pass: the reading, how sure it is, the proof, and one button to take it. */
export function ReadingCard({ reading, isMeasuring, problem, byName, agreed, onTake, onAskFrame, frame }: Props) {
  const isTaken = reading !== null && agreed !== null && isSameEncoding(agreed, reading.encoding);
  return (
    <section className={`card ${isTaken ? 'agreed' : 'open'}`} data-testid="reading-card">
      <b>{reading !== null && reading.evidence.from !== 'pictures' ? 'A guess from the stored values' : 'Measured in the pictures'}</b>
      {isMeasuring && (
        <div className="row" role="status" style={{ flexWrap: 'nowrap' }}>
          <Spin size="small" /> <span>Following what moves from frame to frame, and holding it against the stored values.</span>
        </div>
      )}
      {problem !== null && (
        <>
          <Alert type="error" showIcon title={`It could not be measured: ${problem}`} />
          {agreed === null && byName !== null && (
            <div className="row">
              <Button size="small" onClick={() => onTake(byName)}>
                Answer the questions yourself
              </Button>
            </div>
          )}
        </>
      )}
      {reading !== null && (
        <>
          <span data-testid="reading-words">
            {describeEncoding(reading.encoding)}: {reading.encoding.sets.map((s) => channelWords(s)).join(' and ')}.
          </span>
          <Sureness confidence={reading.confidence} />
          <EvidenceWords reading={reading} />
          <div className="row">
            {isTaken ? (
              <span className="quiet">
                <CheckOutlined /> This is the reading that is used.
              </span>
            ) : (
              <Button type="primary" size="small" icon={<CheckOutlined />} onClick={() => onTake(reading.encoding)}>
                {agreed === null ? 'Take this reading' : 'Take this reading instead'}
              </Button>
            )}
            {reading.frame !== frame && (
              <Button size="small" loading={isMeasuring} onClick={onAskFrame}>
                Measure frame {frame} too
              </Button>
            )}
          </div>
          {reading.evidence.residual !== null && <Proof />}
        </>
      )}
    </section>
  );
}

function channelWords({ x, y, length }: Encoding['sets'][number]): string {
  return `x in ${x}, y in ${y}${length === null ? '' : `, length in ${length}`}`;
}

function Sureness({ confidence }: { confidence: number }) {
  const percent = Math.round(100 * confidence);
  const words = confidence >= 0.85 ? 'sure' : confidence >= 0.6 ? 'likely' : 'only a guess';
  return (
    <div className="row" style={{ flexWrap: 'nowrap' }}>
      <Progress
        aria-label="How sure"
        percent={percent}
        showInfo={false}
        size="small"
        strokeColor={confidence >= 0.85 ? 'var(--good)' : 'var(--accent)'}
        style={{ width: 120 }}
      />
      <span>
        {words}, {percent} %
      </span>
    </div>
  );
}

function EvidenceWords({ reading }: { reading: MotionReading }) {
  const { evidence, frame } = reading;
  const parts: ReactNode[] = [];
  if (evidence.residual !== null)
    parts.push(
      `Frame ${frame}: motion was measured at ${evidence.measured} of ${evidence.points} points with texture; the reading explains ${Math.round(100 * evidence.explained)} % of them. `,
      `Fetched back along these vectors, the neighbouring frame differs by ${evidence.residual.after.toFixed(4)} instead of ${evidence.residual.before.toFixed(4)}. `,
    );
  const [other] = evidence.alternatives;
  if (other !== undefined) parts.push(`The next best reading (${other.reading}) would leave ${other.residual.toFixed(4)}.`);
  return parts.length === 0 ? null : <span className="evidence">{parts}</span>;
}

/** Switches the picture to the proof: with and without the vectors. */
function Proof() {
  const look = useView((s) => s.look),
    warps = useView((s) => s.residualWarps),
    set = useView((s) => s.set);
  if (look !== 'residual')
    return (
      <div className="row">
        <Button size="small" icon={<EyeOutlined />} onClick={() => set({ look: 'residual', residualWarps: true, needles: false })}>
          Look at the proof
        </Button>
      </div>
    );
  return (
    <div className="row">
      <span className="quiet">The picture shows what is left</span>
      <Segmented
        size="small"
        aria-label="What the proof shows"
        value={warps ? 'with' : 'without'}
        options={[
          { value: 'without', label: 'without the vectors' },
          { value: 'with', label: 'with them' },
        ]}
        onChange={(v) => set({ residualWarps: v === 'with' })}
      />
    </div>
  );
}
