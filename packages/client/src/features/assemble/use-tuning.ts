import { keepLinks, type Element, type ElementId, type ElementPlace, type ShotSettings } from '@ivrex/contract';
import { useView } from '../../viewer/view-store';
import { useShotContext } from '../shot/ShotPage';

type Change = (settings: ShotSettings) => ShotSettings;

export interface Tuning {
  /** Settings as they are shown: while a value is dragged they run ahead of what is kept. */
  readonly settings: ShotSettings;
  /** Shows a change. */
  tune(change: Change): void;
  /** Keeps a change. */
  keep(label: string, change: Change): void;
}

/** Changes that the server has not answered yet, of whichever card. */
let underWay = 0;

/** Changes of the assembled shot that are seen while they are made. */
export function useTuning(): Tuning {
  const { whole, changeWhole } = useShotContext();
  const tuned = useView((s) => s.tuned);
  const settings = tuned ?? whole.settings;
  return {
    settings,
    tune: (change) => useView.setState({ tuned: change(settings) }),
    keep(label, change) {
      underWay++;
      useView.setState({ tuned: keepLinks(settings, change(settings)) });
      void changeWhole(label, (s) => keepLinks(s, change(s))).then(() => {
        underWay--;
        if (underWay === 0) useView.setState({ tuned: null });
      });
    },
  };
}

export function withElement(settings: ShotSettings, id: ElementId, change: (element: Element) => Element): ShotSettings {
  return { ...settings, elements: settings.elements.map((e) => (e.id === id ? change(e) : e)) };
}

export function withPlace(settings: ShotSettings, id: ElementId, change: Partial<ElementPlace>): ShotSettings {
  return withElement(settings, id, (e) => ({ ...e, place: { ...e.place, ...change } }));
}
