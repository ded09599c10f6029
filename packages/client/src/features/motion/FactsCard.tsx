import type { Element } from '@ivrex/contract';
import type { MotionFact } from '@ivrex/core';
import { Button } from 'antd';
import { useView } from '../../viewer/view-store';

interface Props {
  readonly facts: Element['facts'];
  readonly onChange: (label: string, facts: Element['facts']) => void;
}

/** Where the pictures do not tell, the artist does: pins become facts. */
export function FactsCard({ facts, onChange }: Props) {
  const pins = useView((s) => s.pins);
  const centre = (p: { x: number; y: number }) => ({ x: p.x + 0.5, y: p.y + 0.5 });
  const [first, second] = pins.slice(-2);
  const frame = useView((s) => s.frame),
    set = useView((s) => s.set);
  const add = (label: string, fact: MotionFact) => onChange(label, [...facts, { frame, fact }]);
  const go = (f: Element['facts'][number]) => set({ frame: f.frame, playing: false });
  return (
    <section className="card open" data-testid="facts-card">
      <b>What do you know for certain?</b>
      <span className="evidence">
        Pin (P) something that stands still. Or pin something, go to the next frame, and pin where it is there: the last two pins are the
        way it went.
      </span>
      {facts.map((known, i) => (
        <div className="row" key={i} style={{ flexWrap: 'nowrap' }}>
          <button type="button" className="finding-text grow" title="Show the frame" onClick={() => go(known)}>
            Frame {known.frame}: {wordsOf(known.fact)}
          </button>
          <Button
            size="small"
            onClick={() =>
              onChange(
                'Fact taken back',
                facts.filter((_, k) => k !== i),
              )
            }
          >
            Not so
          </Button>
        </div>
      ))}
      <div className="row">
        <Button
          size="small"
          disabled={pins.length === 0}
          onClick={() => add('Something stands still', { kind: 'still', ...centre(pins[pins.length - 1]) })}
        >
          Pin {Math.max(1, pins.length)} stands still
        </Button>
        <Button
          size="small"
          disabled={second === undefined}
          onClick={() => {
            if (first !== undefined && second !== undefined)
              add('Something moved', { kind: 'moved', ...centre(first), toX: second.x + 0.5, toY: second.y + 0.5 });
          }}
        >
          {second === undefined ? 'It went from pin to pin' : `It went from pin ${pins.length - 1} to pin ${pins.length}`}
        </Button>
      </div>
    </section>
  );
}

function wordsOf(fact: MotionFact): string {
  const at = (x: number, y: number) => `${Math.floor(x)}, ${Math.floor(y)}`;
  return fact.kind === 'still' ? `${at(fact.x, fact.y)} stands still` : `${at(fact.x, fact.y)} goes to ${at(fact.toX, fact.toY)}`;
}
