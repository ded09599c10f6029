import type { ShutterPlan } from '@ivrex/core';
import { Segmented } from 'antd';

interface Props {
  /** The element's own; null is the shot's. */
  readonly own: ShutterPlan | null;
  readonly shots: ShutterPlan;
  readonly onChange: (own: ShutterPlan | null, label: string) => void;
}

/** Whether an element follows the shot's shutter; one of its own starts as the shot's. */
export function WhoseShutter({ own, shots, onChange }: Props) {
  return (
    <Segmented<'shot' | 'own'>
      size="small"
      aria-label="Whose shutter"
      value={own === null ? 'shot' : 'own'}
      options={[
        { value: 'shot', label: "The shot's" },
        { value: 'own', label: 'Its own' },
      ]}
      onChange={(whose) => (whose === 'own' ? onChange(shots, 'a shutter of its own') : onChange(null, "the shot's shutter"))}
    />
  );
}
