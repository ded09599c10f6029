import { keepLinks, type Element, type ElementId, type ElementPlace, type ShotSettings } from '@ivrex/contract';
import { useView } from '../../viewer/view-store';
import { ANSWER_DRAWN_MS, useShotContext } from '../shot/ShotPage';

type Change = (settings: ShotSettings) => ShotSettings;

export interface Tuning {
  /** Settings as they are kept, or are about to be; what is being dragged is seen in the picture (`useTuned`). */
  readonly settings: ShotSettings;
  /** Shows a change in the picture. */
  tune(change: Change): void;
  /** Keeps a change. */
  keep(label: string, change: Change): void;
}

/** Changes that the server has not answered yet, of whichever card. */
let underWay = 0;

/** Changes of the assembled shot that are seen while they are made. */
export function useTuning(): Tuning {
  const { whole, changeWhole } = useShotContext();
  const pending = useView((s) => s.pending);
  const settings = pending ?? whole.settings;
  return {
    settings,
    tune: (change) => useView.setState({ tuned: change(settings) }),
    keep(label, change) {
      underWay++;
      const next = keepLinks(settings, change(settings));
      useView.setState({ tuned: next, pending: next });
      void changeWhole(label, (s) => keepLinks(s, change(s))).then(() => {
        underWay--;
        // The kept ones are drawn first: between the two nobody should meet the ones before.
        setTimeout(() => underWay === 0 && useView.setState({ tuned: null, pending: null }), ANSWER_DRAWN_MS);
      });
    },
  };
}

/** Settings as the picture shows them while a value is dragged. */
export function useTuned(): ShotSettings {
  const { whole } = useShotContext();
  return useView((s) => s.tuned) ?? whole.settings;
}

export function withElement(settings: ShotSettings, id: ElementId, change: (element: Element) => Element): ShotSettings {
  return { ...settings, elements: settings.elements.map((e) => (e.id === id ? change(e) : e)) };
}

export function withPlace(settings: ShotSettings, id: ElementId, change: Partial<ElementPlace>): ShotSettings {
  return withElement(settings, id, (e) => ({ ...e, place: { ...e.place, ...change } }));
}
