import { DownloadOutlined, EyeInvisibleOutlined } from '@ant-design/icons';
import { orderedRepairs, REPAIR_ORDER, type RepairKind, type RepairStep } from '@ivrex/core';
import { Button, Switch } from 'antd';
import { DragNumber } from '../../ui/DragNumber';
import { saveAsFile } from '../../api/save-as-file';
import { useView } from '../../viewer/view-store';
import { REPAIR_WORDS } from './repair-words';

interface Props {
  readonly shotName: string;
  readonly repairs: readonly RepairStep[];
  readonly onChange: (label: string, repairs: RepairStep[]) => void;
}

const USUAL: { readonly [K in RepairKind]: Extract<RepairStep, { kind: K }> } = {
  recentre: { kind: 'recentre', on: false, xPx: 0, yPx: 0 },
  unmix: { kind: 'unmix', on: false },
  fillHoles: { kind: 'fillHoles', on: false, clipped: true },
  outliers: { kind: 'outliers', on: false },
  smoothSteps: { kind: 'smoothSteps', on: false },
  growEdges: { kind: 'growEdges', on: false, reachPx: 6 },
  speedLimits: { kind: 'speedLimits', on: false, floorPx: 0.05, ceilingPx: null },
};

/** Repairs in the order in which they are applied; the files stay as they are. */
export function RepairsCard({ shotName, repairs, onChange }: Props) {
  const changed = useView((s) => s.repaired);
  const see = (unrepaired: boolean) => useView.setState({ unrepaired });
  const put = (label: string, step: RepairStep) => onChange(label, [...repairs.filter((r) => r.kind !== step.kind), step]);
  return (
    <section className="card" data-testid="repairs">
      <b>Was it damaged?</b>
      <span className="evidence">Applied whenever the pass is read, from top to bottom. The files stay as they are.</span>
      {REPAIR_ORDER.map((kind) => {
        const step = repairs.find((r) => r.kind === kind) ?? USUAL[kind];
        const { name, about } = REPAIR_WORDS[kind];
        return (
          <div key={kind} className="repair">
            <div className="row" style={{ flexWrap: 'nowrap' }}>
              <Switch
                size="small"
                aria-label={name}
                checked={step.on}
                onChange={(on) => put(`${name}: ${on ? 'on' : 'off'}`, { ...step, on })}
              />
              <span className="grow">{name}</span>
              {step.on && <span className="quiet">{changed[kind] ?? 0} pixels here</span>}
            </div>
            <span className="quiet">{about}</span>
            {step.on && <StepValues step={step} onChange={(next) => put(name, next)} />}
          </div>
        );
      })}
      {repairs.some((r) => r.on) && (
        <div className="row">
          <Button
            size="small"
            icon={<EyeInvisibleOutlined />}
            title="Hold U"
            onPointerDown={() => see(true)}
            onPointerUp={() => see(false)}
            onPointerLeave={() => see(false)}
          >
            Hold to see it without
          </Button>
          <Button
            size="small"
            icon={<DownloadOutlined />}
            title="For ./ivrex blur and ./ivrex remap, which take it with --repairs"
            onClick={() => saveAsFile(`${shotName}_repairs`, orderedRepairs(repairs))}
          >
            Save as a file
          </Button>
        </div>
      )}
    </section>
  );
}

function StepValues({ step, onChange }: { step: RepairStep; onChange: (step: RepairStep) => void }) {
  switch (step.kind) {
    case 'recentre':
      return (
        <div className="grid2">
          <DragNumber label="x, pixels a frame" value={step.xPx} step={0.05} digits={4} onCommit={(xPx) => onChange({ ...step, xPx })} />
          <DragNumber label="y, pixels a frame" value={step.yPx} step={0.05} digits={4} onCommit={(yPx) => onChange({ ...step, yPx })} />
        </div>
      );
    case 'fillHoles':
      return (
        <div className="row">
          <Switch
            size="small"
            aria-label="Clipped pixels too"
            checked={step.clipped}
            onChange={(clipped) => onChange({ ...step, clipped })}
          />
          <span>clipped pixels too</span>
        </div>
      );
    case 'growEdges':
      return (
        <DragNumber
          label="Reach in pixels"
          value={step.reachPx}
          step={1}
          min={0}
          max={200}
          onCommit={(reachPx) => onChange({ ...step, reachPx })}
        />
      );
    case 'speedLimits':
      return (
        <div className="grid2">
          <DragNumber
            label="Floor, pixels a frame"
            value={step.floorPx}
            step={0.05}
            min={0}
            max={1000}
            onCommit={(floorPx) => onChange({ ...step, floorPx })}
          />
          <DragNumber
            label="Ceiling (0: none)"
            value={step.ceilingPx ?? 0}
            step={1}
            min={0}
            max={100000}
            onCommit={(px) => onChange({ ...step, ceilingPx: px > 0 ? px : null })}
          />
        </div>
      );
    case 'unmix':
    case 'outliers':
    case 'smoothSteps':
      return null;
  }
}
