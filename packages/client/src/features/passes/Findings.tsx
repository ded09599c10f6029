import { CloseCircleFilled, InfoCircleOutlined, WarningFilled } from '@ant-design/icons';
import type { Finding, Fix, Pass } from '@ivrex/contract';
import { Button } from 'antd';
import { useView } from '../../viewer/view-store';

type OnFix = (fix: Fix, label: string) => void;

/** Sentences: what is wrong and where, what it would look like, and buttons that mend it. */
export function Findings({ findings, passes, onFix }: { findings: readonly Finding[]; passes: readonly Pass[]; onFix: OnFix }) {
  if (findings.length === 0) return <p>Every frame is there and whole, and the passes fit together.</p>;
  return (
    <div className="card" data-testid="findings">
      {findings.map((finding) => (
        <FindingRow key={`${finding.message} ${finding.frame}`} finding={finding} passes={passes} onFix={onFix} />
      ))}
    </div>
  );
}

const ICONS = {
  error: <CloseCircleFilled className="error" />,
  warning: <WarningFilled className="warning" />,
  info: <InfoCircleOutlined className="quiet" />,
} as const;

function FindingRow({ finding, passes, onFix }: { finding: Finding; passes: readonly Pass[]; onFix: OnFix }) {
  const set = useView((s) => s.set);
  const { frame, severity } = finding;
  // What a file is about is seen in its first pass.
  const passId = finding.passId ?? passes.find((p) => p.sequenceId === finding.sequenceId)?.id ?? null;
  const go = () =>
    set({
      ...(frame === null ? {} : { frame, playing: false }),
      ...(passId === null ? {} : { look: 'pass' as const, shownPass: passId, tried: null }),
    });
  const text = (
    <>
      {finding.message} {finding.effect !== null && <span className="quiet">{finding.effect}</span>}
    </>
  );
  return (
    <div className="finding">
      {ICONS[severity]}
      <div>
        {frame === null && passId === null ? (
          <span>{text}</span>
        ) : (
          <button type="button" className="finding-text" title="Show it" onClick={go}>
            {text}
          </button>
        )}
        {finding.fixes.length > 0 && (
          <div className="row fixes">
            {finding.fixes.map(({ label, fix }) => (
              <Button key={label} size="small" onClick={() => onFix(fix, label)}>
                {label}
              </Button>
            ))}
          </div>
        )}
      </div>
    </div>
  );
}
