import type { ShotDetail } from '@ivrex/contract';
import { useEffect, useRef } from 'react';
import { useStepState } from '../../api/shots';
import { useView, type Look } from '../../viewer/view-store';
import { useKeysDialog } from './KeysDialog';

const LOOK_KEYS: Record<string, Look> = {
  a: 'contact',
  s: 'sharp',
  b: 'blurred',
  w: 'wipe',
  d: 'directions',
  h: 'speed',
  r: 'residual',
  c: 'compare',
  v: 'assembled',
};

/** Keys of a shot. They rest while something is typed, and while a control uses the key itself. */
export function useShotKeys(detail: ShotDetail, toOneToOne: () => void): void {
  const step = useStepState(detail.shot.id);
  // The look to go back to when X is let go; it outlives a change of the shot in between.
  const before = useRef<Look | null>(null);
  useEffect(() => {
    const down = (event: KeyboardEvent) => {
      if (event.ctrlKey || event.metaKey) {
        if (event.key.toLowerCase() === 'z' && !isTyping(event.target)) {
          event.preventDefault();
          step.mutate(event.shiftKey ? 'redo' : 'undo');
        }
        return;
      }
      if (isTyping(event.target) || event.altKey) return;
      const view = useView.getState(),
        key = event.key.toLowerCase();
      const { firstFrame, lastFrame } = detail.shot;
      const move = (by: number) => view.set({ playing: false, frame: Math.min(lastFrame, Math.max(firstFrame, view.frame + by)) });
      if (key === 'x' && before.current === null && view.look !== 'sharp') {
        before.current = view.look;
        view.set({ look: 'sharp' });
      } else if (key === 'f') view.set({ flicked: true });
      else if (key in LOOK_KEYS) view.set({ look: LOOK_KEYS[key] });
      else if (key === ' ' && !isPressable(event.target)) view.set({ playing: !view.playing });
      else if ((key === 'arrowleft' || key === 'arrowright') && !isOwnArrow(event.target))
        move((key === 'arrowleft' ? -1 : 1) * (event.shiftKey ? 10 : 1));
      else if (key === 'u') view.set({ unrepaired: true });
      else if (key === 'n') view.set({ needles: !view.needles });
      else if (key === 't') view.set({ paths: !view.paths });
      else if (key === 'p' && view.pointer !== null)
        view.set({ pins: [...view.pins.filter((p) => p.x !== view.pointer?.x || p.y !== view.pointer.y), view.pointer].slice(-6) });
      else if (key === '0') view.set({ placement: null });
      else if (key === '1') toOneToOne();
      else if (key === '+' || key === '=') view.set({ exposure: Math.min(6, view.exposure + 0.5) });
      else if (key === '-') view.set({ exposure: Math.max(-6, view.exposure - 0.5) });
      else if (key === '?') useKeysDialog.getState().toggle();
      else return;
      event.preventDefault();
    };
    const letGo = (key: string) => {
      if (key === 'f') useView.setState({ flicked: false });
      if (key === 'u') useView.setState({ unrepaired: false });
      if (key !== 'x' || before.current === null) return;
      useView.setState({ look: before.current });
      before.current = null;
    };
    const up = (event: KeyboardEvent) => letGo(event.key.toLowerCase());
    // A key that is let go elsewhere is not seen here.
    const away = () => ['f', 'u', 'x'].forEach(letGo);
    window.addEventListener('keydown', down);
    window.addEventListener('keyup', up);
    window.addEventListener('blur', away);
    return () => {
      window.removeEventListener('keydown', down);
      window.removeEventListener('keyup', up);
      window.removeEventListener('blur', away);
    };
  }, [detail.shot, step, toOneToOne]);
}

function isTyping(target: EventTarget | null): boolean {
  return (
    target instanceof HTMLElement &&
    (target.isContentEditable ||
      (target instanceof HTMLInputElement && !['checkbox', 'radio', 'button'].includes(target.type)) ||
      target.tagName === 'TEXTAREA')
  );
}

function isPressable(target: EventTarget | null): boolean {
  return target instanceof Element && target.closest('button, a, [role="button"], [role="combobox"], [role="switch"]') !== null;
}

/** Sliders, tabs and segmented choices move by arrows themselves; the frame strip is ours. */
function isOwnArrow(target: EventTarget | null): boolean {
  return (
    target instanceof Element &&
    target.closest('.ant-slider, .ant-segmented, [role="radiogroup"], [role="listbox"], .interval, .strength-key') !== null
  );
}
