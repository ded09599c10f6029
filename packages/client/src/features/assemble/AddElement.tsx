import { PlusOutlined } from '@ant-design/icons';
import { isDataRole, newElement, proposedElements, roleOf, withElements, type Pass } from '@ivrex/contract';
import { Button, Dropdown } from 'antd';
import { passLabel } from '../../ui/pass-label';
import { useView } from '../../viewer/view-store';
import { useShotContext } from '../shot/ShotPage';
import { useTuning } from './use-tuning';

/** A new element from any picture of the shot, with the motion, depth and ids that come in the same files. */
export function AddElement() {
  const { whole } = useShotContext();
  const { settings, keep } = useTuning();
  const pictures = whole.passes.filter((p) => !isDataRole(roleOf(settings, p)) && roleOf(settings, p) !== 'reference');
  const add = (pass: Pass) => {
    const light = proposedElements(settings, whole.passes).find((e) => e.lightOf !== null && e.beauty === pass.id);
    if (light !== undefined) {
      keep(`Light pass ${light.name}`, (s) => withElements(s, [light]));
      useView.setState({ element: light.id });
      return;
    }
    const beside = (role: string) => whole.passes.find((p) => p.sequenceId === pass.sequenceId && roleOf(settings, p) === role)?.id ?? null;
    const isPlate = roleOf(settings, pass) === 'plate',
      isShadow = roleOf(settings, pass) === 'shadow';
    const element = newElement(settings.elements, {
      name: pass.name.slice(0, 100),
      beauty: pass.id,
      motion: isPlate ? null : beside('motion'),
      depth: beside('depth'),
      ids: isPlate ? null : beside('ids'),
    });
    const placed = {
      ...element,
      place: { ...element.place, fromPlate: isPlate, shadow: isShadow ? ({ reads: 'density', way: 'holdOut' } as const) : null },
    };
    keep(`Element ${element.name}`, (s) => withElements(s, [placed]));
    useView.setState({ element: element.id });
  };
  return (
    <Dropdown
      trigger={['click']}
      menu={{
        items: pictures.map((p) => ({ key: p.id, label: `${passLabel(p, whole.passes)} (${roleOf(settings, p)})` })),
        onClick: ({ key }) => {
          const pass = pictures.find((p) => p.id === key);
          if (pass !== undefined) add(pass);
        },
      }}
    >
      <Button size="small" icon={<PlusOutlined />}>
        Add
      </Button>
    </Dropdown>
  );
}
