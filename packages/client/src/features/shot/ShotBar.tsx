import { ArrowLeftOutlined, BulbOutlined, QuestionCircleOutlined, RedoOutlined, UndoOutlined } from '@ant-design/icons';
import { roleOf, stackOf, type DeliveryState, type MatchReport, type ShotDetail, type ShotSettings } from '@ivrex/contract';
import { Button, Tooltip } from 'antd';
import { Link, NavLink } from 'react-router';
import { useNewestMatch } from '../../api/match';
import { useStepState } from '../../api/shots';
import { useAppearance } from '../../ui/appearance';
import { KeysDialog, useKeysDialog } from './KeysDialog';

/** Where the shot is in the order of the work, and the way back through its states. */
export function ShotBar({ detail }: { detail: ShotDetail }) {
  const step = useStepState(detail.shot.id);
  const match = useNewestMatch(detail.shot.id).data ?? null;
  const toggle = useAppearance((s) => s.toggle);
  const openKeys = useKeysDialog((s) => s.toggle);
  return (
    <header className="top-bar">
      <Tooltip title="All shots">
        <Link to="/" aria-label="All shots" style={{ color: 'inherit' }}>
          <ArrowLeftOutlined />
        </Link>
      </Tooltip>
      <h1 title={detail.shot.name}>{detail.shot.name}</h1>
      <nav className="steps" aria-label="Steps">
        {stepsOf(detail, match).map(({ to, name, state }) => (
          <NavLink key={to} to={to} className={({ isActive }) => `step${isActive ? ' active' : ''}`}>
            {name}
            <span className="state">{state}</span>
          </NavLink>
        ))}
      </nav>
      <span className="spring" />
      <Tooltip title={detail.state.undo === null ? 'Nothing to take back' : `Take back: ${detail.state.undo} (Ctrl+Z)`}>
        <Button
          size="small"
          aria-label="Undo"
          icon={<UndoOutlined />}
          disabled={detail.state.undo === null}
          onClick={() => step.mutate('undo')}
        />
      </Tooltip>
      <Tooltip title={detail.state.redo === null ? 'Nothing to do again' : `Do again: ${detail.state.redo} (Shift+Ctrl+Z)`}>
        <Button
          size="small"
          aria-label="Redo"
          icon={<RedoOutlined />}
          disabled={detail.state.redo === null}
          onClick={() => step.mutate('redo')}
        />
      </Tooltip>
      <Tooltip title="Dim or bright">
        <Button size="small" aria-label="Dim or bright" icon={<BulbOutlined />} onClick={toggle} />
      </Tooltip>
      <Tooltip title="Keys (?)">
        <Button size="small" aria-label="Keys" icon={<QuestionCircleOutlined />} onClick={openKeys} />
      </Tooltip>
      <KeysDialog />
    </header>
  );
}

const DELIVERY_WORDS: Record<DeliveryState, string> = {
  running: 'rendering',
  finishing: 'rendering',
  paused: 'paused',
  done: 'delivered',
  failed: 'to look at',
  cancelled: 'cancelled',
};

function stepsOf(
  { settings, findings, shot, passes }: ShotDetail,
  match: MatchReport | null,
): { to: string; name: string; state: string }[] {
  const [element] = settings.elements;
  const open = findings.filter((f) => f.severity !== 'info').length;
  const chosen = element.beauty !== null && element.motion !== null,
    agreed = element.encoding !== null,
    isAllRead = settings.elements.every((e) => e.motion === null || e.encoding !== null);
  const matchState = () => {
    if (match === null) return passes.some((p) => roleOf(settings, p) === 'reference') ? 'to match' : '';
    const { opens, closes } = element.shutter ?? settings.shutter;
    const isTaken = Math.abs(opens - match.match.opens) < 1e-4 && Math.abs(closes - match.match.closes) < 1e-4;
    return isTaken ? 'matched' : 'found';
  };
  return [
    {
      to: 'passes',
      name: 'Passes',
      state: open > 0 ? `${open} to look at` : settings.rolesAgreed ? 'agreed' : chosen ? 'proposed' : 'to choose',
    },
    { to: 'motion', name: 'Motion', state: !agreed ? 'to read' : isAllRead ? 'agreed' : 'one to read' },
    { to: 'shutter', name: 'Shutter', state: agreed ? 'set' : '' },
    { to: 'match', name: 'Match', state: agreed ? matchState() : '' },
    { to: 'assemble', name: 'Assemble', state: partsOf(settings) },
    { to: 'deliver', name: 'Deliver', state: shot.delivery === null ? '' : DELIVERY_WORDS[shot.delivery] },
  ];
}

/** What a shot is put together of, when it is of more than one part. */
function partsOf(settings: ShotSettings): string {
  const elements = stackOf(settings).length,
    lights = settings.elements.length - elements;
  return [elements > 1 ? `${elements} elements` : '', lights > 0 ? `${lights} light pass${lights === 1 ? '' : 'es'}` : '']
    .filter(Boolean)
    .join(', ');
}
