import { roleOf } from '@ivrex/contract';
import { useEffect } from 'react';
import { Link } from 'react-router';
import { useView } from '../../viewer/view-store';
import { ElementRow } from '../shot/ElementRow';
import { useShotContext } from '../shot/ShotPage';
import { CompareCard } from './CompareCard';
import { FitCard } from './FitCard';
import { ReportCard } from './ReportCard';
import { StatesCard } from './StatesCard';
import { StreakCard } from './StreakCard';
import { TrustCard } from './TrustCard';

/** How near the blur is to what it should be, and where it can't be. */
export function MatchPanel() {
  const { detail } = useShotContext();
  const agreed = detail.settings.elements[0].encoding !== null;
  useEffect(() => {
    const { compare, frame } = useView.getState();
    useView.setState({ needles: false });
    const reference = detail.passes.find((p) => roleOf(detail.settings, p) === 'reference');
    // The first look is what the step is about: the blur against the reference, where there is one.
    if (agreed && reference !== undefined && compare.b.kind === 'blurred' && compare.a.kind === 'sharp') {
      const frames = reference.frames ?? [];
      const nearest = frames.length === 0 ? frame : frames.reduce((a, b) => (Math.abs(b - frame) < Math.abs(a - frame) ? b : a));
      useView.setState({
        look: 'compare',
        frame: nearest,
        playing: false,
        compare: { ...compare, a: { kind: 'blurred' }, b: { kind: 'pass', pass: reference.id, shift: 0 } },
      });
    } else if (agreed) useView.setState({ look: 'compare' });
    // Elsewhere these looks have no cards beside them.
    return () => {
      if (useView.getState().look === 'compare' || useView.getState().look === 'trust') useView.setState({ look: 'wipe' });
    };
  }, [agreed]);
  if (!agreed)
    return (
      <div className="empty-state">
        <h2>There is no blur to compare yet</h2>
        <div>Say how the motion pass is stored first.</div>
        <Link to="../motion">Go to Motion</Link>
      </div>
    );
  return (
    <>
      <h2>Match</h2>
      <ElementRow />
      <CompareCard />
      <FitCard />
      <StreakCard />
      <TrustCard />
      <StatesCard />
      <ReportCard />
    </>
  );
}
