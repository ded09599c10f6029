import { surfaceOf } from '@ivrex/contract';
import { Link } from 'react-router';
import { useEffect } from 'react';
import { useView } from '../../viewer/view-store';
import { useShotContext } from '../shot/ShotPage';
import { ElementCard } from './ElementCard';
import { FinishCard } from './FinishCard';
import { GradeCard } from './GradeCard';
import { LensCard } from './LensCard';
import { PlaceCard } from './PlaceCard';
import { PlateCard } from './PlateCard';
import { ProposalCard } from './ProposalCard';
import { StackCard } from './StackCard';
import { useTuning } from './use-tuning';

/** The elements together over the plate, each with its edge, colour and place. */
export function AssemblePanel() {
  const { whole } = useShotContext();
  const { settings } = useTuning();
  const elementId = useView((s) => s.element),
    notes = useView((s) => s.assemblyNotes);
  const current = settings.elements.find((e) => e.id === elementId) ?? settings.elements[0];
  // A light pass is seen through the lens as its surface is.
  const lensed = surfaceOf(settings, current) ?? current;
  const hasPicture = whole.settings.elements.some((e) => e.beauty !== null);
  useEffect(() => {
    if (hasPicture) useView.setState({ look: 'assembled', needles: false });
    // What was being tried is shown here only, and elsewhere the steps are about one element.
    return () => {
      const { look } = useView.getState();
      useView.setState({ tuned: null, pending: null, draws: null, ...(look === 'assembled' ? { look: 'wipe' } : {}) });
    };
  }, [hasPicture]);
  if (!hasPicture)
    return (
      <div className="empty-state">
        <h2>There is nothing to put together yet</h2>
        <div>Choose the pictures of this shot first.</div>
        <Link to="../passes">Go to Passes</Link>
      </div>
    );
  return (
    <>
      <h2>Assemble</h2>
      <StackCard current={current} />
      <ProposalCard />
      <ElementCard key={current.id} element={current} />
      <PlaceCard element={current} />
      <GradeCard key={`grade ${current.id}`} element={current} />
      <LensCard key={`lens ${lensed.id}`} element={lensed} />
      <PlateCard />
      <FinishCard />
      {notes.length > 0 && (
        <section className="card">
          <b>Worth knowing about this frame</b>
          <ul className="plain-list">
            {notes.map((note) => (
              <li key={note}>{note}</li>
            ))}
          </ul>
        </section>
      )}
    </>
  );
}
