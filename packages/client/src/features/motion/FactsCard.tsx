import type { MotionFact } from '@ivrex/core';
import { Button } from 'antd';
import { useView } from '../../viewer/view-store';

/** Where the pictures do not tell, the artist does: pins become facts. */
export function FactsCard({ facts, onChange }: { facts: readonly MotionFact[]; onChange: (facts: MotionFact[]) => void }) {
  const pins = useView((s) => s.pins);
  const centre = (p: { x: number; y: number }) => ({ x: p.x + 0.5, y: p.y + 0.5 });
  const [first, second] = pins.slice(-2);
  return (
    <section className="card open" data-testid="facts-card">
      <b>What do you know for certain?</b>
      <span className="evidence">
        Pin (P) something that stands still. Or pin something, go to the next frame, and pin where it is there: the last two pins are the
        way it went.
      </span>
      {facts.map((fact, i) => (
        <div className="row" key={i} style={{ flexWrap: 'nowrap' }}>
          <span className="grow">
            {fact.kind === 'still'
              ? `${Math.floor(fact.x)}, ${Math.floor(fact.y)} stands still`
              : `${Math.floor(fact.x)}, ${Math.floor(fact.y)} goes to ${Math.floor(fact.toX)}, ${Math.floor(fact.toY)}`}
          </span>
          <Button size="small" onClick={() => onChange(facts.filter((_, k) => k !== i))}>
            Not so
          </Button>
        </div>
      ))}
      <div className="row">
        <Button
          size="small"
          disabled={pins.length === 0}
          onClick={() => onChange([...facts, { kind: 'still', ...centre(pins[pins.length - 1]) }])}
        >
          Pin {Math.max(1, pins.length)} stands still
        </Button>
        <Button
          size="small"
          disabled={second === undefined}
          onClick={() => {
            if (first !== undefined && second !== undefined)
              onChange([...facts, { kind: 'moved', ...centre(first), toX: second.x + 0.5, toY: second.y + 0.5 }]);
          }}
        >
          {second === undefined ? 'It went from pin to pin' : `It went from pin ${pins.length - 1} to pin ${pins.length}`}
        </Button>
      </div>
    </section>
  );
}
