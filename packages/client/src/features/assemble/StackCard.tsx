import { CopyOutlined, DeleteOutlined, EyeInvisibleOutlined, EyeOutlined, HolderOutlined } from '@ant-design/icons';
import {
  closestCenter,
  DndContext,
  KeyboardSensor,
  PointerSensor,
  useSensor,
  useSensors,
  type Announcements,
  type DragEndEvent,
} from '@dnd-kit/core';
import { arrayMove, SortableContext, sortableKeyboardCoordinates, useSortable, verticalListSortingStrategy } from '@dnd-kit/sortable';
import { CSS } from '@dnd-kit/utilities';
import { freeElementId, isApart, lightPassesOf, passBelow, stackOf, surfaceOf, type Element, type ElementId } from '@ivrex/contract';
import { Button, Tooltip } from 'antd';
import { useView } from '../../viewer/view-store';
import { useShotContext } from '../shot/ShotPage';
import { AddElement } from './AddElement';
import { useTuning, withPlace } from './use-tuning';

/** The elements in their order, the nearest on top, over what lies below all. */
export function StackCard({ current }: { current: Element }) {
  const { whole } = useShotContext();
  const { settings, keep } = useTuning();
  const stack = stackOf(settings),
    below = passBelow(settings, whole.passes);
  const sensors = useSensors(
    // A click on the handle is no drag.
    useSensor(PointerSensor, { activationConstraint: { distance: 4 } }),
    useSensor(KeyboardSensor, { coordinateGetter: sortableKeyboardCoordinates }),
  );
  const moved = ({ active, over }: DragEndEvent) => {
    if (over === null || active.id === over.id) return;
    const ids = stack.map((e) => e.id);
    const order = arrayMove(ids, ids.indexOf(active.id as ElementId), ids.indexOf(over.id as ElementId));
    const name = stack.find((e) => e.id === active.id)?.name ?? 'Element';
    keep(`${name} moved in the stack`, (s) => ({ ...s, assembly: { ...s.assembly, order } }));
  };
  const surface = surfaceOf(settings, current),
    isLast = surface === null && stack.length === 1;
  const takenOut =
    surface === null
      ? `Take ${current.name} out; its files stay`
      : `Leave ${current.name} in the picture of ${surface.name}: blurred with it`;
  const copy = () => {
    const name = `${current.name} copy`.slice(0, 100);
    const id = freeElementId(settings.elements, name);
    keep(`${current.name} copied`, (s) => {
      const order = stackOf(s).map((e) => e.id);
      order.splice(order.indexOf(current.id), 0, id);
      const source = s.elements.find((e) => e.id === current.id) ?? current;
      return { ...s, elements: [...s.elements, { ...source, id, name }], assembly: { ...s.assembly, order } };
    });
    useView.setState({ element: id });
  };
  const remove = () => {
    useView.setState((s) => ({ element: surfaceOf(settings, current)?.id ?? null, solo: s.solo === current.id ? null : s.solo }));
    keep(`${current.name} taken out`, (s) => ({
      ...s,
      // An element goes with its light passes.
      elements: s.elements.filter((e) => e.id !== current.id && e.lightOf !== current.id),
      assembly: { ...s.assembly, order: s.assembly.order.filter((id) => id !== current.id) },
    }));
  };
  return (
    <section className="card" data-testid="stack-card">
      <div className="row">
        <b className="grow">Elements, the nearest on top</b>
        <AddElement />
        <Tooltip title={`Copy ${current.name} with all its settings`}>
          <Button size="small" aria-label={`Copy ${current.name}`} disabled={surface !== null} icon={<CopyOutlined />} onClick={copy} />
        </Tooltip>
        <Tooltip title={isLast ? 'A shot has at least one element' : takenOut}>
          <Button size="small" aria-label={`Take ${current.name} out`} icon={<DeleteOutlined />} disabled={isLast} onClick={remove} />
        </Tooltip>
      </div>
      <DndContext
        sensors={sensors}
        collisionDetection={closestCenter}
        accessibility={{ announcements: announcementsOf(stack) }}
        onDragEnd={moved}
      >
        <SortableContext items={stack.map((e) => e.id)} strategy={verticalListSortingStrategy}>
          <ol className="stack" aria-label="Elements">
            {stack.map((element) => (
              <StackRow key={element.id} element={element} current={current.id} />
            ))}
          </ol>
        </SortableContext>
      </DndContext>
      <div className="stack-row below">
        <span className="grow">{below === null ? 'nothing below' : below.name}</span>
        <span className="quiet">{settings.assembly.below === 'background' ? 'clean background' : below === null ? '' : 'plate'}</span>
      </div>
    </section>
  );
}

/** What is said to those who do not see it. */
function announcementsOf(stack: readonly Element[]): Announcements {
  const name = (id: string | number) => stack.find((e) => e.id === id)?.name ?? 'the element';
  const place = (id: string | number | undefined) => `place ${stack.findIndex((e) => e.id === id) + 1} of ${stack.length}`;
  return {
    onDragStart: ({ active }) => `${name(active.id)} is picked up.`,
    onDragOver: ({ active, over }) => `${name(active.id)} is at ${place(over?.id)}.`,
    onDragEnd: ({ active, over }) => `${name(active.id)} is put down at ${place(over?.id)}.`,
    onDragCancel: ({ active }) => `${name(active.id)} stays where it was.`,
  };
}

function StackRow({ element, current }: { element: Element; current: ElementId }) {
  const { settings } = useTuning();
  const { id, name, place } = element;
  const { attributes, listeners, setNodeRef, setActivatorNodeRef, transform, transition, isDragging } = useSortable({ id });
  const kind =
    place.shadow !== null
      ? 'shadow'
      : place.fromPlate
        ? 'from the plate'
        : element.motion === null
          ? 'does not move'
          : place.blend === 'over'
            ? ''
            : place.blend;
  return (
    <li ref={setNodeRef} className={isDragging ? 'dragged' : ''} style={{ transform: CSS.Translate.toString(transform), transition }}>
      <div className={`stack-row${id === current ? ' current' : ''}`}>
        <button
          type="button"
          className="handle"
          ref={setActivatorNodeRef}
          {...attributes}
          {...listeners}
          aria-label={`Move ${name}: Space, then arrows, then Space`}
        >
          <HolderOutlined />
        </button>
        <RowOf element={element} isCurrent={id === current} kind={kind} />
      </div>
      {lightPassesOf(settings, element).map((light) => (
        <div key={light.id} className={`stack-row light${light.id === current ? ' current' : ''}`}>
          <RowOf element={light} isCurrent={light.id === current} kind={isApart(light) ? 'added' : 'no motion yet'} />
        </div>
      ))}
    </li>
  );
}

/** What a row says of an element or a light pass, and its switches. */
function RowOf({ element, isCurrent, kind }: { element: Element; isCurrent: boolean; kind: string }) {
  const { keep } = useTuning();
  const solo = useView((s) => s.solo);
  const { id, name, place } = element;
  return (
    <>
      <Tooltip title={place.visible ? 'Hide' : 'Show'}>
        <Button
          size="small"
          type="text"
          aria-label={`${place.visible ? 'Hide' : 'Show'} ${name}`}
          icon={place.visible ? <EyeOutlined /> : <EyeInvisibleOutlined />}
          onClick={() => keep(`${name} ${place.visible ? 'hidden' : 'shown'}`, (s) => withPlace(s, id, { visible: !place.visible }))}
        />
      </Tooltip>
      <button
        type="button"
        className={`name${place.visible ? '' : ' hidden-element'}`}
        aria-pressed={isCurrent}
        title={name}
        onClick={() => useView.setState({ element: id })}
      >
        {name}
      </button>
      <span className="quiet">
        {[kind, place.opacity < 1 || place.opacityKeys.length > 0 ? `${Math.round(place.opacity * 100)} %` : ''].filter(Boolean).join(', ')}
      </span>
      <Tooltip title={solo === id ? 'Show all again' : 'This element alone'}>
        <Button
          size="small"
          type={solo === id ? 'primary' : 'text'}
          aria-pressed={solo === id}
          aria-label={`${name} alone`}
          onClick={() => useView.setState({ solo: solo === id ? null : id })}
        >
          Alone
        </Button>
      </Tooltip>
    </>
  );
}
