import { CloseCircleFilled, InfoCircleOutlined, ReloadOutlined, WarningFilled } from '@ant-design/icons';
import { isDataRole, roleOf, ROLES, type Finding, type Pass, type PassId, type Role, type ShotSettings } from '@ivrex/contract';
import { Button, Select, Tooltip } from 'antd';
import { forgetRasters } from '../../api/raster-cache';
import { useLookAgain } from '../../api/shots';
import { shownFrame, Thumbnail } from '../../ui/Thumbnail';
import { useView } from '../../viewer/view-store';
import { useShotContext } from '../shot/ShotPage';
import { RangeBars } from './RangeBars';

const ROLE_NAMES: Record<Role, string> = {
  beauty: 'Beauty',
  motion: 'Motion',
  depth: 'Depth',
  ids: 'Object ids',
  matte: 'Matte',
  shadow: 'Shadow',
  plate: 'Plate',
  reference: 'Reference, blurred',
  other: 'Other',
};

/** Every pass at once, what it is taken for and why, and what is wrong with the files. */
export function PassesPanel() {
  const { detail, change } = useShotContext();
  const look = useLookAgain(detail.shot.id);
  const shown = useView((s) => (s.look === 'pass' ? s.shownPass : null));
  const setRole = (pass: Pass, role: Role) =>
    change(`${pass.name} is ${ROLE_NAMES[role].toLowerCase()}`, (settings) => withRole(settings, detail.passes, pass.id, role));
  const facts = detail.passes.find((p) => p.id === (shown ?? detail.settings.elements[0].beauty));
  return (
    <>
      <div className="row">
        <h2 className="grow">Passes</h2>
        <Tooltip title="Look at the folder again">
          <Button
            size="small"
            icon={<ReloadOutlined />}
            loading={look.isPending}
            onClick={() => {
              forgetRasters();
              look.mutate();
            }}
          >
            Look again
          </Button>
        </Tooltip>
      </div>
      <Findings findings={detail.findings} />
      <div className="contact">
        {detail.passes.map((pass) => (
          <ContactPass
            key={pass.id}
            pass={pass}
            role={roleOf(detail.settings, pass)}
            shown={pass.id === shown}
            onRole={(role) => setRole(pass, role)}
          />
        ))}
      </div>
      <RangeBars detail={detail} />
      {facts && (
        <div className="card">
          <b>{facts.file}</b>
          <dl className="facts">
            {facts.facts.map(({ name, value }) => [<dt key={name}>{name}</dt>, <dd key={`${name}-value`}>{value}</dd>])}
          </dl>
        </div>
      )}
    </>
  );
}

/** One pass a role in the element: giving a pass a role takes it from the one that had it. */
function withRole(settings: ShotSettings, passes: readonly Pass[], passId: PassId, role: Role): ShotSettings {
  const roles = { ...settings.roles, [passId]: role };
  const pick = (wanted: Role, current: PassId | null): PassId | null =>
    role === wanted ? passId : current === passId ? (passes.find((p) => p.id !== passId && roles[p.id] === wanted)?.id ?? null) : current;
  const [first, ...others] = settings.elements;
  const motion = pick('motion', first.motion);
  // An encoding belongs to the pass it was agreed for.
  const element = {
    ...first,
    beauty: pick('beauty', first.beauty),
    motion,
    depth: pick('depth', first.depth),
    ids: pick('ids', first.ids),
    encoding: motion === first.motion ? first.encoding : null,
  };
  return { ...settings, roles, elements: [element, ...others] };
}

function ContactPass({ pass, role, shown, onRole }: { pass: Pass; role: Role; shown: boolean; onRole: (role: Role) => void }) {
  const frame = useView((s) => s.frame),
    set = useView((s) => s.set);
  return (
    <div className="contact-pass">
      <button
        type="button"
        className={`thumb${shown ? ' shown' : ''}`}
        aria-label={`Show ${pass.name}`}
        onClick={() => set(shown ? { look: 'sharp' } : { look: 'pass', shownPass: pass.id })}
      >
        <Thumbnail passId={pass.id} role={role} frame={shownFrame(pass, frame)} width={pass.width} />
      </button>
      <Tooltip title={`${pass.file}, channels ${pass.channels.map((c) => `${c.name} (${c.type})`).join(', ')}`}>
        <span className="name">{pass.name}</span>
      </Tooltip>
      <Select
        size="small"
        aria-label={`Role of ${pass.name}`}
        value={role}
        options={ROLES.map((value) => ({ value, label: ROLE_NAMES[value] }))}
        onChange={onRole}
      />
      <span className="quiet">
        {isDataRole(role) ? 'data, kept as stored' : 'picture'}
        {role === pass.guess.role ? `; ${pass.guess.reason}` : ''}
      </span>
    </div>
  );
}

export function Findings({ findings }: { findings: readonly Finding[] }) {
  const set = useView((s) => s.set);
  if (findings.length === 0) return <p>Every frame is there and whole.</p>;
  return (
    <div className="card" data-testid="findings">
      {findings.map((f, i) => {
        const icon =
          f.severity === 'error' ? (
            <CloseCircleFilled className="error" />
          ) : f.severity === 'warning' ? (
            <WarningFilled className="warning" />
          ) : (
            <InfoCircleOutlined className="quiet" />
          );
        const { frame } = f;
        return frame === null ? (
          <div className="finding" key={i}>
            {icon}
            <span>{f.message}</span>
          </div>
        ) : (
          <button type="button" className="finding" key={i} onClick={() => set({ frame, playing: false })}>
            {icon}
            <span>{f.message}</span>
          </button>
        );
      })}
    </div>
  );
}
