import { isDataRole, roleOf, ROLES, type Pass, type Role, type ShotDetail } from '@ivrex/contract';
import type { DepthEncoding } from '@ivrex/core';
import { Select, Tooltip } from 'antd';
import { useShownDepth } from '../../api/depth';
import { passLabel } from '../../ui/pass-label';
import { ROLE_NAMES } from '../../ui/role-names';
import { shownFrame, Thumbnail } from '../../viewer/Thumbnail';
import { useView } from '../../viewer/view-store';

/** Each pass with the role that it was taken for, and why. */
export function PassRows({
  detail,
  shown,
  onRole,
}: {
  detail: ShotDetail;
  shown: string | null;
  onRole: (pass: Pass, role: Role) => void;
}) {
  const depth = useShownDepth(detail);
  return (
    <div className="pass-rows">
      {detail.passes.map((pass) => (
        <PassRow
          key={pass.id}
          pass={pass}
          name={passLabel(pass, detail.passes)}
          role={roleOf(detail.settings, pass)}
          shown={pass.id === shown}
          depth={pass.id === depth.pass ? depth.encoding : null}
          onRole={(role) => onRole(pass, role)}
        />
      ))}
    </div>
  );
}

interface RowProps {
  readonly pass: Pass;
  readonly name: string;
  readonly role: Role;
  readonly shown: boolean;
  readonly depth: DepthEncoding | null;
  readonly onRole: (role: Role) => void;
}

function PassRow({ pass, name, role, shown, depth, onRole }: RowProps) {
  const frame = useView((s) => s.frame),
    set = useView((s) => s.set);
  return (
    <div className={`pass-row${shown ? ' shown' : ''}`}>
      <button
        type="button"
        className="thumb"
        aria-label={`Show ${name}`}
        onClick={() => set(shown ? { look: 'contact' } : { look: 'pass', shownPass: pass.id, tried: null })}
      >
        <Thumbnail passId={pass.id} role={role} frame={shownFrame(pass, frame)} width={pass.width} shownWidth={160} depth={depth} />
      </button>
      <div className="about">
        <div className="row" style={{ flexWrap: 'nowrap' }}>
          <Tooltip title={`${pass.file}, channels ${pass.channels.map((c) => `${c.name} (${c.type})`).join(', ')}`}>
            <span className="name grow">{name}</span>
          </Tooltip>
          <Select
            size="small"
            aria-label={`Role of ${name}`}
            value={role}
            style={{ width: 118 }}
            options={ROLES.map((value) => ({ value, label: ROLE_NAMES[value] }))}
            onChange={onRole}
          />
        </div>
        <span className="quiet">
          {isDataRole(role) ? 'Data, kept as stored' : 'Picture'}
          {role === pass.guess.role ? `; ${pass.guess.reason}` : '; you chose'}
        </span>
      </div>
    </div>
  );
}
