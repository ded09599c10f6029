import type { ShotSettings } from '@ivrex/contract';
import { MOST_SLICES, TOO_FAST, type PlanReport } from '@ivrex/core';
import { useView } from '../../viewer/view-store';

function percent(share: number): string {
  return `${(100 * share).toFixed(share < 0.1 ? 1 : 0)} %`;
}

const ORDERS: Readonly<Record<PlanReport['orderFrom'], string>> = {
  'one layer': 'a single surface',
  depth: 'by depth',
  neighbours: 'by occlusion between frames',
  speed: 'guessed by speed',
};

/** What the blur of this frame used, and what it missed. */
export function BlurReport({ samples, lights }: { readonly samples: ShotSettings['samples']; readonly lights: readonly string[] }) {
  const report = useView((s) => s.report),
    blurred = useView((s) => s.blurred),
    working = useView((s) => s.working);
  if (report === null)
    return <p>{working ? 'Preparing the frame.' : 'The blur of this frame has not been made: choose the look Blurred or Wipe.'}</p>;
  const isTooFast = samples === 'auto' && blurred !== null && blurred.slices >= MOST_SLICES;
  const rows: [string, string][] = [
    ['Surfaces', `${report.layerCount}, told apart by ${report.layersFrom}`],
    ['Order', ORDERS[report.orderFrom]],
    ['Paths', report.changesPace ? `${report.pathModel}, with changes of pace` : report.pathModel],
    ['Frames used', report.neighbours.length === 2 ? 'before, this and after' : ['this', ...report.neighbours].join(' and ')],
    ...(report.mixed.length === 0
      ? []
      : ([['Mixed in', `the frame ${report.mixed.join(' and the frame ')}, ${percent(report.mixedShare)} of the picture`]] as [
          string,
          string,
        ][])),
    ['Hidden parts', `found for ${percent(report.seenShare)} of the covered pixels, made up for ${percent(report.inpaintedShare)}`],
    ...(lights.length === 0 ? [] : ([['Blurred apart', `${lights.join(', ')}, added to it`]] as [string, string][])),
    ['Edges', `${report.separatedPixels} shared pixels taken apart`],
    ...(blurred === null
      ? []
      : ([
          ['Slices', `up to ${blurred.slices}${blurred.quality === 'draft' ? ' (draft)' : ''}`],
          ['Made in', `${(blurred.milliseconds / 1000).toFixed(2)} s`],
        ] as [string, string][])),
  ];
  return (
    <div className="card" data-testid="blur-report">
      <b>Used for this frame</b>
      <dl className="facts">{rows.map(([name, value]) => [<dt key={name}>{name}</dt>, <dd key={value}>{value}</dd>])}</dl>
      {[...report.warnings, ...(isTooFast ? [TOO_FAST] : []), ...report.notes].map((note) => (
        <span className="evidence" key={note}>
          {note}
        </span>
      ))}
    </div>
  );
}
