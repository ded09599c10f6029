import { useRef, type PointerEvent } from 'react';

interface DragSteps<Held> {
  /** While it moves. */
  readonly onMove: (held: Held, event: PointerEvent) => void;
  /** When it is let go; `hasMoved` tells a drag from a press. */
  readonly onEnd: (held: Held, event: PointerEvent, hasMoved: boolean) => void;
}

/**
 * Dragging by a pointer that is followed wherever it goes until it is let go. `grab(held)` is put on what is pressed and says what is held, `follow`
 * on the same element or one around it.
 */
export function useDrag<Held>({ onMove, onEnd }: DragSteps<Held>) {
  const grabbed = useRef<{ readonly held: Held; hasMoved: boolean } | null>(null);
  const end = (event: PointerEvent) => {
    const drag = grabbed.current;
    grabbed.current = null;
    if (drag === null) return;
    event.stopPropagation();
    onEnd(drag.held, event, drag.hasMoved);
  };
  return {
    grab: (held: Held) => (event: PointerEvent) => {
      event.stopPropagation();
      event.currentTarget.setPointerCapture(event.pointerId);
      grabbed.current = { held, hasMoved: false };
    },
    follow: {
      onPointerMove: (event: PointerEvent) => {
        if (grabbed.current === null) return;
        event.stopPropagation();
        grabbed.current.hasMoved = true;
        onMove(grabbed.current.held, event);
      },
      onPointerUp: end,
      onPointerCancel: end,
    },
    /** What is held now. */
    held: (): Held | null => grabbed.current?.held ?? null,
  };
}
