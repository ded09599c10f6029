import { NAME_TOKENS } from '@ivrex/contract';
import { Button, Checkbox, Input, InputNumber } from 'antd';
import { Choice } from '../../ui/Choice';
import type { DeliveryDraft } from './delivery-draft';

interface Props {
  readonly draft: DeliveryDraft;
  readonly usual: { readonly name: string; readonly pattern: string };
  /** The first file's path, as it would be called, and the folder that it is below. */
  readonly example: { readonly path: string; readonly root: string } | null;
  readonly onChange: (part: Partial<DeliveryDraft>) => void;
}

/** Which frames, how files are called, and what becomes of those that are there. */
export function FilesCard({ draft, usual, example, onChange }: Props) {
  const pattern = draft.pattern ?? usual.pattern;
  const number = (id: string, label: string, value: number | null, key: 'firstFrame' | 'lastFrame' | 'every' | 'handles', min?: number) => (
    <div className="field">
      <label htmlFor={id}>{label}</label>
      <InputNumber
        id={id}
        size="small"
        style={{ width: '100%' }}
        precision={0}
        {...(min === undefined ? {} : { min })}
        value={value}
        onChange={(v) => onChange({ [key]: v })}
      />
    </div>
  );
  return (
    <section className="card" data-testid="files-card">
      <div className="grid4">
        {number('deliver-from', 'From', draft.firstFrame, 'firstFrame')}
        {number('deliver-to', 'To', draft.lastFrame, 'lastFrame')}
        {number('deliver-every', 'Every nth', draft.every, 'every', 1)}
        {number('deliver-handles', 'Handles', draft.handles, 'handles', 0)}
      </div>
      <div className="field">
        <label htmlFor="deliver-name">Name</label>
        <Input
          id="deliver-name"
          size="small"
          maxLength={80}
          placeholder={usual.name}
          value={draft.name ?? usual.name}
          onChange={(e) => onChange({ name: e.target.value })}
        />
      </div>
      <div className="field">
        <label htmlFor="deliver-pattern">File names</label>
        <Input
          id="deliver-pattern"
          size="small"
          maxLength={300}
          value={pattern}
          suffix={
            draft.pattern !== null && (
              <Button type="link" size="small" style={{ height: 18, padding: 0 }} onClick={() => onChange({ pattern: null })}>
                as usual
              </Button>
            )
          }
          onChange={(e) => onChange({ pattern: e.target.value })}
        />
        <span className="evidence" data-testid="name-example" title={example?.root} style={{ overflowWrap: 'anywhere' }}>
          {example === null ? `Words in braces: ${NAME_TOKENS.map((t) => `{${t}}`).join(' ')}` : example.path}
        </span>
      </div>
      <div className="grid2">
        <Choice
          labelled
          name="Files that are there"
          value={draft.existing}
          words={{ changed: 'write what changed', keep: 'leave as they are', replace: 'write all anew', versionUp: 'next free version' }}
          onChange={(existing) => onChange({ existing })}
        />
        <Choice
          labelled
          name="In the queue"
          value={draft.priority}
          words={{ high: 'before others', normal: 'in turn', low: 'after others' }}
          onChange={(priority) => onChange({ priority })}
        />
      </div>
      <Checkbox checked={draft.report} onChange={(e) => onChange({ report: e.target.checked })}>
        Shot report beside it
      </Checkbox>
    </section>
  );
}
