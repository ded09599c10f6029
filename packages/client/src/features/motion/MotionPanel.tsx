import { CheckOutlined } from '@ant-design/icons';
import { proposeEncoding, type Encoding } from '@ivrex/core';
import { Alert, Button } from 'antd';
import { useEffect } from 'react';
import { Link } from 'react-router';
import { useView } from '../../viewer/view-store';
import { useShotContext } from '../shot/ShotPage';
import { ChannelEvidence } from './ChannelEvidence';
import { QuestionCards } from './QuestionCards';
import { SavedEncodings } from './SavedEncodings';

/** How the motion pass is stored: each question beside what this frame's values say about it. */
export function MotionPanel() {
  const { detail, change } = useShotContext();
  const [element] = detail.settings.elements;
  const pass = detail.passes.find((p) => p.id === element.motion);
  const problem = useView((s) => s.problem);
  const agreed = element.encoding !== null;
  useEffect(() => {
    if (agreed && ['pass', 'sharp', 'wipe', 'blurred'].includes(useView.getState().look))
      useView.setState({ look: 'directions', needles: true });
  }, [agreed]);
  if (pass === undefined)
    return (
      <div className="empty-state">
        <h2>No pass is marked as motion</h2>
        <div>Choose the one that holds the vectors.</div>
        <Link to="../passes">Go to Passes</Link>
      </div>
    );
  const proposal = proposeEncoding(pass.channels);
  const set = (label: string, encoding: Encoding | null) =>
    change(label, (s) => ({ ...s, elements: [{ ...s.elements[0], encoding }, ...s.elements.slice(1)] }));
  return (
    <>
      <h2>Motion</h2>
      {!agreed && (
        <div className="card open">
          <b>Proposed reading</b>
          {proposal === null ? (
            <span>This pass has a single channel, and motion needs two. Choose another pass in step Passes.</span>
          ) : (
            <>
              <span>
                {proposal.encoding.name}: {proposal.encoding.sets.map((s) => `${s.x}, ${s.y}`).join(' and ')}.
              </span>
              <span className="evidence">
                Because {proposal.reason}. Compare with the values below: what stands still should read the value for no motion.
              </span>
              <Button type="primary" size="small" icon={<CheckOutlined />} onClick={() => set('Reading taken', proposal.encoding)}>
                Take this reading
              </Button>
            </>
          )}
        </div>
      )}
      {problem !== null && <Alert type="error" showIcon title={problem} />}
      <ChannelEvidence pass={pass} encoding={element.encoding ?? proposal?.encoding ?? null} />
      {element.encoding !== null && <QuestionCards pass={pass} encoding={element.encoding} onChange={set} />}
      <SavedEncodings encoding={element.encoding} onUse={(name, encoding) => set(`Reading ${name}`, encoding)} />
    </>
  );
}
