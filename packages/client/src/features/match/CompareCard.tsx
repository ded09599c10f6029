import { SwapOutlined } from '@ant-design/icons';
import { isDataRole, roleOf, type NamedStateId, type PassId } from '@ivrex/contract';
import { Button, Segmented, Select, Switch, Tooltip } from 'antd';
import { useShots } from '../../api/shots';
import { useStates } from '../../api/match';
import { DragNumber } from '../../ui/DragNumber';
import { COMPARE_WAYS, sideKey, WAY_NAMES, type CompareState, type CompareWay, type Side } from '../../viewer/compare-state';
import { useView } from '../../viewer/view-store';
import { useShotContext } from '../shot/ShotPage';
import { FiguresTable } from './FiguresTable';

const TIPS: Record<CompareWay, string> = {
  wipe: 'A and B on two sides of an edge: drag it, turn it by its handle (Shift: steps of 15 degrees)',
  beside: 'The same part of both, side by side',
  flick: 'A; B while F is held',
  difference: 'A less B, made stronger',
  error: 'The largest difference of any channel, as heat',
};

/** Which two pictures are compared, and how. */
export function CompareCard() {
  const compare = useView((s) => s.compare),
    look = useView((s) => s.look);
  const put = (part: Partial<CompareState>) => useView.setState((s) => ({ compare: { ...s.compare, ...part }, look: 'compare' }));
  return (
    <section className="card" data-testid="compare-card">
      <div className="row" style={{ flexWrap: 'nowrap' }}>
        <SideSelect name="A" side={compare.a} onChange={(a) => put({ a })} />
        <Tooltip title="Change sides">
          <Button size="small" aria-label="Change sides" icon={<SwapOutlined />} onClick={() => put({ a: compare.b, b: compare.a })} />
        </Tooltip>
        <SideSelect name="B" side={compare.b} onChange={(b) => put({ b })} />
      </div>
      <Segmented<CompareWay | 'off'>
        size="small"
        block
        aria-label="How they are compared"
        value={look === 'compare' ? compare.way : 'off'}
        options={COMPARE_WAYS.map((value) => ({ value, label: <Tooltip title={TIPS[value]}>{WAY_NAMES[value]}</Tooltip> }))}
        onChange={(way) => way !== 'off' && put({ way })}
      />
      {compare.way === 'wipe' && (
        <DragNumber
          label="Edge turned"
          value={compare.edge.angleDeg}
          step={1}
          min={-180}
          max={180}
          digits={1}
          unit="°"
          onLive={(angleDeg) => put({ edge: { ...compare.edge, angleDeg } })}
          onCommit={(angleDeg) => put({ edge: { ...compare.edge, angleDeg } })}
        />
      )}
      {(compare.way === 'difference' || compare.way === 'error') && (
        <div className="row">
          <DragNumber
            label="Times"
            value={compare.gain}
            step={1}
            min={0.1}
            max={1000}
            digits={1}
            onLive={(gain) => put({ gain })}
            onCommit={(gain) => put({ gain })}
          />
          {compare.way === 'difference' && (
            <label className="row">
              <Switch size="small" checked={compare.signed} onChange={(signed) => put({ signed })} aria-label="With sign" /> with sign
            </label>
          )}
        </div>
      )}
      <ScopeRow compare={compare} put={put} />
      <FiguresTable />
    </section>
  );
}

function ScopeRow({ compare, put }: { compare: CompareState; put: (part: Partial<CompareState>) => void }) {
  const draws = useView((s) => s.draws === 'region');
  return (
    <div className="row">
      <span className="quiet">Count</span>
      <Segmented<CompareState['scope']>
        size="small"
        aria-label="What is counted"
        value={compare.scope}
        options={[
          { value: 'frame', label: 'Frame' },
          { value: 'element', label: 'Element' },
          { value: 'region', label: compare.region === null ? 'Region' : `${size(compare.region)}` },
        ]}
        onChange={(scope) => (scope === 'region' && compare.region === null ? useView.setState({ draws: 'region' }) : put({ scope }))}
      />
      <Button size="small" type={draws ? 'primary' : 'default'} onClick={() => useView.setState({ draws: draws ? null : 'region' })}>
        {draws ? 'Drag over the picture' : 'Draw region'}
      </Button>
    </div>
  );
}

function size({ x0, y0, x1, y1 }: NonNullable<CompareState['region']>): string {
  return `${Math.round(x1 - x0)} x ${Math.round(y1 - y0)}`;
}

/** What can be one of the two: this shot's blur and pictures, its named states, the pictures of other shots. */
function SideSelect({ name, side, onChange }: { name: string; side: Side; onChange: (side: Side) => void }) {
  const { detail } = useShotContext();
  const { passes, settings, shot } = detail;
  const states = useStates(detail).data?.named ?? [],
    others = useShots().data ?? [];
  const [{ beauty }] = settings.elements;
  const sides: { group: string; label: string; side: Side }[] = [
    { group: 'This shot', label: 'Blurred, as set', side: { kind: 'blurred' } },
    { group: 'This shot', label: 'Sharp', side: { kind: 'sharp' } },
    { group: 'This shot', label: 'Assembled, as set', side: { kind: 'assembled' } },
    ...passes
      .filter((p) => p.id !== beauty && !isDataRole(roleOf(settings, p)))
      .sort((p, q) => order(roleOf(settings, p)) - order(roleOf(settings, q)))
      .map((p) => ({ group: 'This shot', label: p.name, side: { kind: 'pass', pass: p.id, shift: 0 } as const })),
    ...states.map((s) => ({ group: 'States', label: s.name, side: { kind: 'state', state: s.id as NamedStateId } as const })),
    ...others
      .filter((o) => o.id !== shot.id && o.thumbnailPass !== null)
      .map((o) => ({
        group: 'Other shots',
        label: o.name,
        side: { kind: 'pass', pass: o.thumbnailPass as PassId, shift: o.firstFrame - shot.firstFrame } as const,
      })),
  ];
  const groups = [...new Set(sides.map((s) => s.group))];
  return (
    <Select
      size="small"
      aria-label={`Picture ${name}`}
      prefix={<b>{name}</b>}
      style={{ flex: 1, minWidth: 0 }}
      popupMatchSelectWidth={240}
      value={sideKey(side)}
      options={groups.map((group) => ({
        label: group,
        options: sides.filter((s) => s.group === group).map((s) => ({ value: sideKey(s.side), label: s.label })),
      }))}
      onChange={(key) => {
        const found = sides.find((s) => sideKey(s.side) === key);
        if (found) onChange(found.side);
      }}
    />
  );
}

/** References come first: they are what one compares with. */
function order(role: string): number {
  return role === 'reference' ? 0 : role === 'plate' ? 1 : 2;
}
