import type { ShotDetail } from '@ivrex/contract';
import { useEffect, useRef } from 'react';
import { useStepState } from '../../api/shots';
import { useView, type Look } from '../../viewer/view-store';
import { useKeysDialog } from './KeysDialog';
import { viewAfter, viewAfterLettingGo } from './shot-keys';

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
      if (key === 'x' && before.current === null && view.look !== 'sharp') {
        before.current = view.look;
        view.set({ look: 'sharp' });
      } else if (key === '1') toOneToOne();
      else if (key === '?') useKeysDialog.getState().toggle();
      else {
        const change = viewAfter(event, view, detail.shot, {
          takesSpace: isPressable(event.target),
          takesArrows: isOwnArrow(event.target),
        });
        if (change === null) return;
        view.set(change);
      }
      event.preventDefault();
    };
    const letGo = (key: string) => {
      const change = viewAfterLettingGo(key);
      if (change !== null) useView.setState(change);
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
