import { proposedElements, withElements } from '@ivrex/contract';
import { Button } from 'antd';
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
            {e.place.shadow !== null
              ? `${e.name} is a shadow: it would darken what is below the others.`
              : e.place.fromPlate
                ? `${nameOf(e.matte?.pass)} is a matte: what it covers of the plate would stand in front.`
                : `${e.name} is a picture of its own: it would be an element in front.`}
            {e.motion !== null && e.encoding === null ? ' Its motion is to be read in step Motion.' : ''}
          </li>
        ))}
      </ul>
      <div className="row">
        <Button
          size="small"
          type="primary"
          onClick={() =>
            keep(found.length === 1 ? `Element ${found[0].name}` : `${found.length} elements put in`, (s) => withElements(s, found))
          }
        >
          {found.length === 1 ? 'Put it in' : 'Put them in'}
        </Button>
      </div>
    </section>
  );
}
