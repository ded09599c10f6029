import { CheckOutlined, ReloadOutlined } from '@ant-design/icons';
import { isDataRole, roleOf, type Pass, type Role, type ShotDetail } from '@ivrex/contract';
import { Button, Tooltip } from 'antd';
import { useEffect } from 'react';
import { forgetRasters } from '../../api/raster-cache';
import { useLookAgain } from '../../api/shots';
import { ROLE_NAMES } from '../../ui/role-names';
import { useView } from '../../viewer/view-store';
import { useShotContext } from '../shot/ShotPage';
import { DepthCard } from './DepthCard';
import { DisplayCard } from './DisplayCard';
import { FactsCard } from './FactsCard';
import { Findings } from './Findings';
import { IdsCard } from './IdsCard';
import { ObjectsCard } from './ObjectsCard';
import { PassRows } from './PassRows';
import { PictureCard } from './PictureCard';
import { RangeBars } from './RangeBars';
import { withDepthEncoding, withFix, withIdChannel, withOffset, withReading, withRole } from './settings-changes';

/** What the files hold, what each pass is taken for and why, and what is wrong with them. */
export function PassesPanel() {
  const { detail, change } = useShotContext();
  const shown = useShownPass(detail);
  // Roles are the main element's: what others are made of is said in step Assemble.
  useEffect(() => useView.setState({ element: null }), []);
  const setRole = (pass: Pass, role: Role) =>
    change(`${pass.name} is ${ROLE_NAMES[role].toLowerCase()}`, (settings) => withRole(settings, detail.passes, pass.id, role));
  const setOffset = (pass: Pass, offset: number) =>
    change(`Numbers of ${pass.name} shifted`, (settings) => withOffset(settings, pass.sequenceId, offset));
  const [element] = detail.settings.elements,
    idPass = detail.passes.find((p) => p.id === element.ids) ?? null,
    depthPass = detail.passes.find((p) => p.id === element.depth) ?? null;
  const isPicture = shown !== null && !isDataRole(roleOf(detail.settings, shown));
  return (
    <>
      <PassesHead detail={detail} onAgree={() => change('Roles agreed', (settings) => ({ ...settings, rolesAgreed: true }))} />
      <Findings
        findings={detail.findings}
        passes={detail.passes}
        onFix={(fix, label) => change(label, (settings) => withFix(settings, detail.passes, fix))}
      />
      <PassRows detail={detail} shown={shown?.id ?? null} onRole={setRole} />
      {shown !== null && isPicture && (
        <PictureCard
          key={shown.id}
          detail={detail}
          pass={shown}
          onReading={(reading, label) => change(label, (settings) => withReading(settings, shown.id, reading))}
        />
      )}
      {depthPass !== null && (
        <DepthCard
          key={depthPass.id}
          detail={detail}
          element={element}
          pass={depthPass}
          onEncoding={(encoding, label) => change(label, (settings) => withDepthEncoding(settings, encoding))}
        />
      )}
      {idPass !== null && !idPass.cryptomatte && idPass.channels.length > 1 && (
        <IdsCard
          key={idPass.id}
          element={element}
          pass={idPass}
          onChannel={(channel, label) => change(label, (settings) => withIdChannel(settings, channel))}
        />
      )}
      {shown?.cryptomatte === true && (
        <ObjectsCard
          key={shown.id}
          detail={detail}
          pass={shown}
          onMattes={(mattes, label) => change(label, (settings) => ({ ...settings, mattes }))}
        />
      )}
      <RangeBars detail={detail} onOffset={setOffset} />
      <DisplayCard
        detail={detail}
        onDisplay={(displayTransform, label) => change(label, (settings) => ({ ...settings, displayTransform }))}
      />
      <FactsCard pass={shown ?? detail.passes.find((p) => p.id === detail.settings.elements[0].beauty) ?? null} />
    </>
  );
}

/** The pass that is shown large, if one is. The step opens with all of them; leaving it ends what was tried. */
function useShownPass(detail: ShotDetail): Pass | null {
  const id = useView((s) => (s.look === 'pass' ? s.shownPass : null));
  useEffect(() => {
    const { look, set } = useView.getState();
    if (look === 'sharp') set({ look: 'contact' });
    return () => {
      const now = useView.getState();
      now.set({ tried: null, ...(now.look === 'contact' || now.look === 'difference' ? { look: 'sharp' as const } : {}) });
    };
  }, []);
  return detail.passes.find((p) => p.id === id) ?? null;
}

function PassesHead({ detail, onAgree }: { detail: ShotDetail; onAgree: () => void }) {
  const look = useLookAgain(detail.shot.id);
  const agreed = detail.settings.rolesAgreed;
  return (
    <div className="row">
      <h2 className="grow">Passes</h2>
      <Button
        size="small"
        type={agreed ? 'default' : 'primary'}
        icon={agreed ? <CheckOutlined /> : null}
        disabled={agreed}
        onClick={onAgree}
      >
        {agreed ? 'Roles agreed' : 'These roles are right'}
      </Button>
      <Tooltip title="Look at the folder again now; new frames are also noticed by themselves">
        <Button
          size="small"
          aria-label="Look again"
          icon={<ReloadOutlined />}
          loading={look.isPending}
          onClick={() => {
            forgetRasters();
            look.mutate();
          }}
        />
      </Tooltip>
    </div>
  );
}
