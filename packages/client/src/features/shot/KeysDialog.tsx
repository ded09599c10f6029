import { Modal } from 'antd';
import { create } from 'zustand';

export const useKeysDialog = create<{ open: boolean; toggle: () => void }>()((set) => ({
  open: false,
  toggle: () => set((s) => ({ open: !s.open })),
}));

const KEYS: readonly (readonly [string, string])[] = [
  ['Space', 'play, pause'],
  ['Left, Right', 'one frame'],
  ['Shift+Left, Right', 'ten frames'],
  ['A', 'look: all passes at once'],
  ['S  B  W  D  H  R', 'look: sharp, blurred, wipe, directions, speed, proof'],
  ['C', 'look: the two pictures of step Match'],
  ['V', 'look: all elements over the plate'],
  ['F (held)', 'B in place of A while they are compared'],
  ['X (held)', 'sharp while held: before and after'],
  ['U (held)', 'motion without its repairs while held'],
  ['N', 'needles'],
  ['T', 'paths of points while the shutter is open'],
  ['P', 'pin the values under the pointer'],
  ['0', 'whole picture'],
  ['1', 'one to one'],
  ['+  -', 'view exposure'],
  ['Ctrl+Z, Shift+Ctrl+Z', 'take back, do again'],
  ['Up, Down in a number', 'nudge; Shift ten times as far, Alt a tenth'],
  ['?', 'this list'],
];

export function KeysDialog() {
  const { open, toggle } = useKeysDialog();
  return (
    <Modal open={open} onCancel={toggle} footer={null} title="Keys" width={460}>
      <dl className="keys">{KEYS.map(([key, text]) => [<dt key={key}>{key}</dt>, <dd key={text}>{text}</dd>])}</dl>
    </Modal>
  );
}
