import type { Pass } from '@ivrex/contract';

/** What the header says, and what the looked-at pixels hold. */
export function FactsCard({ pass }: { pass: Pass | null }) {
  if (pass === null) return null;
  const number = (v: number | null) => (v === null ? 'nothing finite' : String(Number(v.toPrecision(4))));
  return (
    <div className="card">
      <b>{pass.layer === '' ? pass.file : `${pass.file}, ${pass.layer}`}</b>
      {pass.ranges !== null && !pass.cryptomatte && (
        <dl className="facts">
          {pass.ranges.slice(0, 12).map(({ name, min, max }) => [
            <dt key={name}>{name}</dt>,
            <dd key={`${name}-value`}>
              {number(min)} to {number(max)}
            </dd>,
          ])}
        </dl>
      )}
      <dl className="facts">{pass.facts.map(({ name, value }) => [<dt key={name}>{name}</dt>, <dd key={`${name}-value`}>{value}</dd>])}</dl>
    </div>
  );
}
