import { proposedElements, surfaceOf, withElements } from '@ivrex/contract';
import { Button } from 'antd';
import { useView } from '../../viewer/view-store';
import { useShotContext } from '../shot/ShotPage';
import { useTuning } from './use-tuning';

/** What the shot has and no element uses yet, to be put in with one click. */
export function ProposalCard() {
  const { whole } = useShotContext();
  const { settings, keep } = useTuning();
  const found = proposedElements(settings, whole.passes);
  if (found.length === 0) return null;
  const nameOf = (id: string | undefined) => whole.passes.find((p) => p.id === id)?.name ?? 'a matte';
  return (
    <section className="card open" data-testid="proposal-card">
      <b>Not used yet</b>
      <ul className="plain-list">
        {found.map((e) => (
          <li key={e.id}>
            {e.lightOf !== null
              ? `${e.name} is a light pass of ${surfaceOf(settings, e)?.name ?? 'an element'}: reflections move otherwise than the surface, so it would be blurred apart and added.`
              : e.place.shadow !== null
                ? `${e.name} is a shadow: it would darken what is below the others.`
                : e.place.fromPlate
                  ? `${nameOf(e.matte?.pass)} is a matte: what it covers of the plate would stand in front.`
                  : `${e.name} is a picture of its own: it would be an element in front.`}
            {e.motion !== null && e.encoding === null ? ' Its motion is to be read in step Motion.' : ''}
            {e.lightOf !== null && e.motion === null ? ' It has no motion pass: its motion can be estimated from its own frames.' : ''}
          </li>
        ))}
      </ul>
      <div className="row">
        <Button
          size="small"
          type="primary"
          onClick={() => {
            keep(found.length === 1 ? `Element ${found[0].name}` : `${found.length} elements put in`, (s) => withElements(s, found));
            // What is to be done next is at the new one.
            if (found.length === 1) useView.setState({ element: found[0].id });
          }}
        >
          {found.length === 1 ? 'Put it in' : 'Put them in'}
        </Button>
      </div>
    </section>
  );
}
