import type { Element, ObjectMatte } from '@ivrex/contract';
import { Checkbox, Select } from 'antd';
import type { RemapTarget } from '../../ui/remap-targets';
import { NOTHING, type DeliveryDraft, type ElementProducts } from './delivery-draft';

interface Props {
  readonly draft: DeliveryDraft;
  readonly elements: readonly Element[];
  readonly mattes: readonly ObjectMatte[];
  readonly targets: readonly RemapTarget[];
  readonly onChange: (part: Partial<DeliveryDraft>) => void;
}

/** What of the shot is delivered: pictures, and the data that the next person may need. */
export function ProductsCard({ draft, elements, mattes, targets, onChange }: Props) {
  const set = (element: Element, part: Partial<ElementProducts>) =>
    onChange({ elements: { ...draft.elements, [element.id]: { ...(draft.elements[element.id] ?? NOTHING), ...part } } });
  const anyMotion = elements.some((e) => draft.elements[e.id]?.motion);
  return (
    <section className="card" data-testid="products-card">
      <b>What is delivered</b>
      {elements.length > 1 && (
        <Checkbox checked={draft.assembled} onChange={(e) => onChange({ assembled: e.target.checked })}>
          All elements put together over the plate
        </Checkbox>
      )}
      <table className="products">
        <tbody>
          {elements.map((element) => (
            <ElementRow
              key={element.id}
              element={element}
              chosen={draft.elements[element.id] ?? NOTHING}
              mattes={mattes.filter(() => element.ids !== null || element.matte !== null)}
              onChange={(part) => set(element, part)}
            />
          ))}
        </tbody>
      </table>
      {anyMotion && (
        <div className="field">
          <span className="label">Motion is written as</span>
          <Select
            size="small"
            aria-label="Motion is written as"
            value={draft.motionAs}
            options={[{ value: 'same', label: 'It is stored' }, ...targets.map((t) => ({ value: t.key, label: t.encoding.name }))]}
            onChange={(motionAs) => onChange({ motionAs })}
          />
        </div>
      )}
    </section>
  );
}

interface RowProps {
  readonly element: Element;
  readonly chosen: ElementProducts;
  readonly mattes: readonly ObjectMatte[];
  readonly onChange: (part: Partial<ElementProducts>) => void;
}

function ElementRow({ element, chosen, mattes, onChange }: RowProps) {
  const { name } = element,
    moves = element.motion !== null && element.encoding !== null;
  const matte = (key: string, label: string, title: string) => (
    <Checkbox
      key={key}
      title={title}
      checked={chosen.mattes.includes(key)}
      onChange={(e) => onChange({ mattes: e.target.checked ? [...chosen.mattes, key] : chosen.mattes.filter((m) => m !== key) })}
    >
      {label}
    </Checkbox>
  );
  return (
    <tr>
      <th scope="row">{name}</th>
      <td>
        <Checkbox
          title={`${name} alone, blurred`}
          checked={chosen.picture}
          onChange={(e) => onChange({ picture: e.target.checked })}
          aria-label={`Picture of ${name}`}
        >
          Picture
        </Checkbox>
        {matte('', 'Matte', 'What it covers, blurred with it')}
        {mattes.map((m) => matte(m.name, m.name, `What the objects of ${m.name} cover, blurred with them`))}
        <Checkbox
          disabled={!moves}
          title={moves ? 'Its motion, repaired, in any encoding' : 'It has no motion that is read'}
          checked={chosen.motion && moves}
          onChange={(e) => onChange({ motion: e.target.checked })}
        >
          Motion
        </Checkbox>
        <Checkbox
          disabled={!moves}
          title={moves ? 'Where its blur is likely to be off, and by what' : 'It has no motion that is read'}
          checked={chosen.trust && moves}
          onChange={(e) => onChange({ trust: e.target.checked })}
        >
          Trust
        </Checkbox>
      </td>
    </tr>
  );
}
