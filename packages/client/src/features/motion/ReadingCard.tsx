import { CheckOutlined, EyeOutlined } from '@ant-design/icons';
import { isSameEncoding, type MotionReading } from '@ivrex/contract';
import { describeEncoding, type Encoding } from '@ivrex/core';
import { Alert, Button, Progress, Segmented, Spin } from 'antd';
import type { ReactNode } from 'react';
import { useView } from '../../viewer/view-store';
import { ConfidenceHelp } from './ConfidenceHelp';

interface Props {
  readonly reading: MotionReading | null;
  readonly isMeasuring: boolean;
  /** More frames are being looked at behind the first answer. */
  readonly isGoingOn: boolean;
  readonly problem: string | null;
  /** A start from the channels' names, for when nothing can be measured. */
  readonly byName: Encoding | null;
  readonly agreed: Encoding | null;
  readonly onTake: (encoding: Encoding) => void;
  readonly onAskFrame: () => void;
  readonly frame: number;
}

/** What the pictures say about the pass: the reading, how sure it is, the proof, and one button to take it. */
export function ReadingCard({ reading, isMeasuring, isGoingOn, problem, byName, agreed, onTake, onAskFrame, frame }: Props) {
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
          <EvidenceWords reading={reading} isGoingOn={isGoingOn} />
          <OtherReadings reading={reading} agreed={agreed} onTake={onTake} />
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
      <ConfidenceHelp />
    </div>
  );
}

function EvidenceWords({ reading, isGoingOn }: { reading: MotionReading; isGoingOn: boolean }) {
  const { evidence } = reading;
  const parts: ReactNode[] = [];
  if (evidence.residual !== null)
    parts.push(
      `${frameWords(evidence.frames)}: of what the pictures change, these vectors explain ${Math.round(100 * evidence.explained)} %; ${evidence.measured} of ${evidence.points} points were found again. `,
      `Warped by them, the neighbouring frame differs by ${evidence.residual.after.toFixed(4)} instead of ${evidence.residual.before.toFixed(4)}. `,
    );
  if (evidence.isKnown) parts.push('It is an encoding that was saved for passes like this one, which counts in its favour. ');
  if (isGoingOn) parts.push('More frames are being looked at.');
  return parts.length === 0 ? null : <span className="evidence">{parts}</span>;
}

function frameWords(frames: readonly number[]): string {
  if (frames.length < 2) return `Frame ${frames.join('')}`;
  const sorted = [...frames].sort((a, b) => a - b);
  return `Frames ${sorted.slice(0, -1).join(', ')} and ${sorted[sorted.length - 1]}`;
}

/** Less is not worth a line beside a clear answer. */
const WORTH_A_LINE = 0.02;

/** The encodings that remain, with their shares, and what would tell them apart; nothing where one holds it all. */
function OtherReadings({ reading, agreed, onTake }: Pick<Props, 'agreed' | 'onTake'> & { reading: MotionReading }) {
  const { readings, wouldTell } = reading.evidence;
  const others = readings.slice(1).filter((r) => r.share >= WORTH_A_LINE);
  if (others.length === 0 && wouldTell.length === 0) return null;
  return (
    <div className="readings" data-testid="other-readings">
      {others.length > 0 && <span className="quiet">Less likely encodings, with their share and what they explain</span>}
      {others.map(({ encoding, share, explained }) => (
        <div className="row" key={JSON.stringify([encoding.sets, encoding.fullScale, encoding.axes])} style={{ flexWrap: 'nowrap' }}>
          <Progress aria-label="Share" percent={Math.round(100 * share)} showInfo={false} size="small" style={{ width: 48 }} />
          <span style={{ flex: 1 }}>
            {describeEncoding(encoding)}: {encoding.sets.map(channelWords).join(' and ')}{' '}
            <span className="quiet">
              ({Math.round(100 * share)} %, explains {Math.round(100 * explained)} %)
            </span>
          </span>
          {(agreed === null || !isSameEncoding(agreed, encoding)) && (
            <Button size="small" onClick={() => onTake(encoding)}>
              Use
            </Button>
          )}
        </div>
      ))}
      {wouldTell.map((sentence) => (
        <span className="evidence" key={sentence}>
          {sentence}
        </span>
      ))}
    </div>
  );
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
